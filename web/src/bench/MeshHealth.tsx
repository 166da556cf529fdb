import type { PropDetail } from "../api/client";
import { HEADING } from "./heading";

/** What is to be said of its triangles. */
export function MeshHealth({ detail }: { detail: PropDetail }) {
  const { prop } = detail;
  const { health } = detail;
  const flaws = [
    health.open_edges > 0 && `${health.open_edges} open edges, so it has no volume of its own`,
    health.degenerate > 0 && `${health.degenerate} triangles without area`,
    health.duplicate > 0 && `${health.duplicate} triangles twice`,
    health.inward && "its faces look inward",
  ].filter((f) => f !== false);
  return (
    <>
      <h2 className={HEADING}>Mesh</h2>
      <p>
        {health.triangles.toLocaleString()} triangles in {health.shells}{" "}
        {health.shells === 1 ? "shell" : "shells"}, {(prop.size / 1e6).toFixed(2)} MB;{" "}
        {flaws.length ? flaws.join("; ") : "closed and well made"}.
      </p>
    </>
  );
}
