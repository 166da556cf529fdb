/** The job of this set: while it runs, and until what came of it is adopted or discarded. */
import type { StateCreator } from "zustand";

import type { Job } from "../api/client";
import type { NoteSlice } from "./note";

/** An outcome that was not adopted, since the set has changed under it: which, what of it was wanted, and what has changed. */
export interface Outrun {
  job: string;
  trial: number;
  keys: string[] | null;
  words: string;
  /** Keys of pieces that it would put elsewhere than where somebody has put them since. */
  pieces: string[];
}

export interface JobsSlice {
  job: Job | null;
  /** Jobs that ended, were adopted or discarded here: late news of them are not heard. */
  over: ReadonlySet<string>;
  /** Jobs that were done before the page was opened, and wait to be adopted or discarded. */
  waiting: Job[];
  /** The pieces that fall in the job, by key. */
  falling: ReadonlySet<string>;
  /** Which of its outcomes is looked at. */
  trial: number | null;
  /** What was changed since, where that kept an outcome from being adopted. */
  outrun: Outrun | null;
  /** Props that a settling or a pour could not do without a contact shape for. */
  lacking: Job["lacking"];
  /** Keys of props that fall as their boxes here, since they have no other contact shape. */
  boxed: string[];
  /** Lets a shove come to its end. */
  enough: () => void;
  /** News of a job, from the line or as an answer, in whatever order they come. */
  hearOf: (job: Job) => void;
  /** This job is no longer of interest. */
  forget: (job: string) => void;
}

export const jobsSlice: StateCreator<JobsSlice & NoteSlice, [], [], JobsSlice> = (set, get) => ({
  job: null,
  over: new Set(),
  waiting: [],
  falling: new Set(),
  trial: null,
  outrun: null,
  lacking: [],
  boxed: [],
  enough: () => undefined,
  hearOf: (job) => {
    const { job: now, over } = get();
    if (over.has(job.key)) return;
    if (job.state === "dropped") return get().forget(job.key);
    const another = now !== null && now.key !== job.key;
    // A job that begins takes the place of one that has ended; one that has ended takes no other's place.
    if (another && (now.state === "running" || job.state !== "running")) return;
    if (job.state === "running") {
      set({ job, trial: null });
    } else if (job.state === "done") {
      set({ job, trial: 0 });
    } else {
      set({
        job: null,
        trial: null,
        over: new Set([...over, job.key]),
        lacking: job.lacking,
        note: job.lacking.length > 0 ? null : (job.problem ?? "stopped; the set is as it was"),
      });
    }
  },
  forget: (key) =>
    set(({ job, over, waiting, trial }) => ({
      job: job?.key === key ? null : job,
      trial: job?.key === key ? null : trial,
      over: new Set([...over, key]),
      waiting: waiting.filter((w) => w.key !== key),
    })),
});
