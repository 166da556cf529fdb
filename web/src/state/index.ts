/** The state of one open stage, in slices by subject; each is a file of its own. What several of them read is one store, so that
 * a change of the set and what it means for the selection are seen at once. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";

import { type FillSlice, fillSlice } from "./fill";
import { type JobsSlice, jobsSlice } from "./jobs";
import { type NoteSlice, noteSlice } from "./note";
import { type OpenSlice, openSlice } from "./open";
import { type PanelsSlice, panelsSlice } from "./panels";
import { type RelationsSlice, relationsSlice } from "./relations";
import { type ScatterSlice, scatterSlice } from "./scatter";
import { type SelectionSlice, selectionSlice } from "./selection";
import { type ToolsSlice, toolsSlice } from "./tools";
import { type UnderWaySlice, underWaySlice } from "./underWay";

export interface StageState
  extends
    OpenSlice,
    SelectionSlice,
    NoteSlice,
    ToolsSlice,
    JobsSlice,
    PanelsSlice,
    RelationsSlice,
    ScatterSlice,
    FillSlice,
    UnderWaySlice {
  /** Puts some of what is only shown; what belongs to the set changes by moves. */
  set: (some: Partial<Omit<StageState, keyof OpenSlice>> & Partial<Pick<OpenSlice, Told>>) => void;
}

/** What the line tells besides changes. */
type Told = "line" | "here" | "stage" | "dressers";

export const useStage = create<StageState>((...all) => ({
  ...openSlice(...all),
  ...selectionSlice(...all),
  ...noteSlice(...all),
  ...toolsSlice(...all),
  ...jobsSlice(...all),
  ...panelsSlice(...all),
  ...relationsSlice(...all),
  ...scatterSlice(...all),
  ...fillSlice(...all),
  ...underWaySlice(...all),
  set: (some) => all[0](some),
}));

/** Just these parts of the state: a component draws again only when one of them changed. */
export function useParts<K extends keyof StageState>(...names: K[]): Pick<StageState, K> {
  return useStage(
    useShallow((state) => Object.fromEntries(names.map((n) => [n, state[n]])) as Pick<StageState, K>),
  );
}
