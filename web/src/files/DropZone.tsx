/** A page onto which files are dropped; it is tinted while they hover. */
import { type ReactNode, useState } from "react";

export function DropZone({ children, onFiles }: { children: ReactNode; onFiles: (files: File[]) => void }) {
  const [over, setOver] = useState(false);
  return (
    <div
      className={`min-h-full ${over ? "bg-wash" : ""}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        onFiles([...e.dataTransfer.files]);
      }}
    >
      {children}
    </div>
  );
}
