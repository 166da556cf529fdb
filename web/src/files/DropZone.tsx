/** A page onto which files are dropped; it is tinted while they hover. They can be chosen by a button, too. */
import type { ReactNode } from "react";
import { useDropzone } from "react-dropzone";

interface Props {
  onFiles: (files: File[]) => void;
  /** What the files are, for those who do not see the page. */
  label: string;
  several?: boolean;
  children: (choose: () => void) => ReactNode;
}

export function DropZone({ onFiles, label, several = false, children }: Props) {
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: (files) => files.length > 0 && onFiles(files),
    multiple: several,
    noClick: true,
    noKeyboard: true,
  });
  return (
    <div
      {...getRootProps({
        className: `min-h-full ${isDragActive ? "bg-wash" : ""}`,
        role: undefined,
        tabIndex: undefined,
      })}
    >
      <input {...getInputProps({ "aria-label": label })} />
      {children(open)}
    </div>
  );
}
