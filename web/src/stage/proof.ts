/** A proof: the view as a lit still, with the set's name and the date under it, saved as PNG. */
import type { StageView } from "./view";

const WIDTH = 1920;
const CAPTION_PX = 64;

/** Resolves to the file name, or null when it was stopped. */
export async function saveProof(
  view: StageView,
  name: string,
  words: string,
  onProgress: (share: number) => boolean,
): Promise<string | null> {
  const { clientWidth, clientHeight } = view.canvas;
  const height = Math.round((WIDTH * clientHeight) / clientWidth);
  const still = await view.pictures.proof(WIDTH, height, onProgress);
  if (!still) return null;
  const sheet = document.createElement("canvas");
  sheet.width = WIDTH;
  sheet.height = height + CAPTION_PX;
  const ink = sheet.getContext("2d")!;
  ink.fillStyle = "#fffdf8";
  ink.fillRect(0, 0, sheet.width, sheet.height);
  ink.drawImage(still, 0, 0);
  ink.fillStyle = "#22303a";
  ink.textBaseline = "middle";
  ink.font = '600 28px "Source Serif 4 Variable", serif';
  const middle = height + CAPTION_PX / 2;
  ink.fillText(name, 28, middle);
  ink.font = '500 22px "Archivo Variable", sans-serif';
  ink.textAlign = "right";
  const date = new Date();
  ink.fillText(`${words}   ${date.toLocaleDateString()}`, WIDTH - 28, middle);
  const blob = await new Promise<Blob | null>((resolve) => sheet.toBlob(resolve, "image/png"));
  if (!blob) throw new Error("the picture could not be written; make the window smaller and try again");
  const day = date.toISOString().slice(0, 10);
  const file = `${name.replace(/[^\p{L}\p{N} _-]+/gu, "").trim() || "set"} ${day}.png`;
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = file;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
  return file;
}
