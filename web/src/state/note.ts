/** What the stage has to say just now: of the verb in hand, or of what came to nothing. */
import type { StateCreator } from "zustand";

export interface NoteSlice {
  note: string | null;
}

export const noteSlice: StateCreator<NoteSlice> = () => ({ note: null });
