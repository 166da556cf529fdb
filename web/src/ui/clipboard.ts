/** The clipboard of the machine. A browser gives it to pages that came over HTTPS, or from the machine itself, and to no others. */
export function clipboard(): Clipboard {
  const found = (navigator as { clipboard?: Clipboard }).clipboard;
  if (!found)
    throw new Error("The browser keeps the clipboard from pages without HTTPS; open this one over HTTPS.");
  return found;
}
