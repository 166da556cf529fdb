import { useParts } from "../../state";

export function MeasureSlip() {
  const { note } = useParts("note");
  return (
    <div>
      <p>Press on one point and drag to another; corners of meshes are caught when they are close.</p>
      <p className="figure mt-1 min-h-5 font-semibold" aria-live="polite">
        {note}
      </p>
    </div>
  );
}
