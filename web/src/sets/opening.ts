/** A set opened from a file: what of it may be one piece is looked at first. */
import { type Schemas, type SetCard, client, wanted } from "../api/client";

export type FileGroup = Schemas["FileGroup"];

function form(file: File, whole: string[] = []): FormData {
  const body = new FormData();
  body.append("file", file);
  whole.forEach((name) => body.append("whole", name));
  return body;
}

// The library types a file as a string; what is sent is the form.
const asForm = { bodySerializer: (body: unknown) => body as FormData };

/** The groups of a file that may be one piece each, or several. */
export function groupsOf(file: File): Promise<FileGroup[]> {
  const body = form(file) as unknown as { file: string };
  return wanted<FileGroup[]>(client.POST("/api/sets/groups", { body, ...asForm }));
}

/** A new set of a file, the groups of these names one piece each. */
export function sendSet(file: File, whole: string[]): Promise<SetCard> {
  const body = form(file, whole) as unknown as { file: string };
  return wanted<SetCard>(client.POST("/api/sets/open", { body, ...asForm }));
}
