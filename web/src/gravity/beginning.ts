/** Begin what gravity does, look at what was done before, or throw it away; what came of it is adopted in `making`. */
import { type Job, type Piece, client, wanted } from "../api/client";
import { chance } from "../chance";
import { useStage } from "../state";
import { told } from "../ui/telling";

/** A job that was asked for; whether it goes on. */
export async function begun(asked: Promise<Job>): Promise<boolean> {
  const { key } = useStage.getState();
  useStage.getState().set({ note: null, lacking: [] });
  const job = await told(asked);
  // What fails at once may have told so over the live line before this answer came.
  if (job && useStage.getState().key === key) useStage.getState().hearOf(job);
  return job !== null;
}

/** What is under way on this set, or was done and waits; asked when the page opens, and again after the line was lost. */
export async function findJobs(): Promise<void> {
  const { key, job } = useStage.getState();
  if (!key) return;
  const listed = await wanted<Job[]>(client.GET("/api/sets/{key}/jobs", { params: { path: { key } } }));
  const { key: still, hearOf, set, job: now } = useStage.getState();
  if (still !== key) return;
  const ours = listed.find((j) => j.key === job?.key);
  if (job?.state === "running" && now?.key === job.key) {
    // A server that was away has forgotten what it had not done.
    hearOf(ours ?? { ...job, state: "stopped", problem: "the server was away; the set is as it was" });
  }
  const running = listed.find((j) => j.state === "running");
  if (running) hearOf(running);
  set({ waiting: listed.filter((j) => j.state === "done" && j.key !== useStage.getState().job?.key) });
}

/** Look at what was done before the page was opened. */
export function takeUp(job: Job): void {
  const { set, waiting } = useStage.getState();
  set({ job, trial: 0, waiting: waiting.filter((w) => w.key !== job.key) });
}

/** What falls: everything loose, or what of it is selected. */
function falling(): Piece[] {
  const { settle, selected, pieces } = useStage.getState();
  const loose = [...pieces.values()].filter((p) => p.role === "prop" && !p.spiked && p.direction[1] < -0.5);
  return settle.what === "loose" ? loose : loose.filter((p) => selected.includes(p.key));
}

export function beginSettle(): Promise<boolean> {
  const { key, settle, boxed } = useStage.getState();
  if (!key) return Promise.resolve(false);
  const chosen = falling();
  const { lift, jitter, calm, seed, breaks } = settle;
  const hand = settle.hand !== "no";
  // A hand cannot be in several trials at once, and a shove has no end of its own.
  const rest = hand ? { hand, trials: 1, seconds: 600 } : { trials: settle.trials };
  const body = { keys: chosen.map((p) => p.key), lift, jitter, calm, seed, breaks, boxed, ...rest };
  return begun(wanted<Job>(client.POST("/api/sets/{key}/jobs/settle", { params: { path: { key } }, body })));
}

/** Where it goes is told over the live line. */
export function beginPour(): Promise<boolean> {
  const { key, pour, boxed, set } = useStage.getState();
  if (!key) return Promise.resolve(false);
  if (pour.props.length === 0) {
    set({ note: "choose what is poured from the trolley first" });
    return Promise.resolve(false);
  }
  const { props, rate, most, from, to, tumbled, spread, fall, calm, largeFirst, breaks } = pour;
  const seed = Math.floor(chance() * 2 ** 31);
  const body = {
    ...{ props, rate, most, tumbled, spread, fall, calm, seed, breaks, boxed },
    size: [from, to] as [number, number],
    large_first: largeFirst,
  };
  return begun(wanted<Job>(client.POST("/api/sets/{key}/jobs/pour", { params: { path: { key } }, body })));
}

/** Begin again with the props that had no contact shape: each falls as its box. */
export async function boxAndBegin(begin: () => Promise<boolean>): Promise<void> {
  const { lacking, boxed, set } = useStage.getState();
  set({ boxed: [...boxed, ...lacking.map((l) => l.key)] });
  await begin();
}

/** Begin again without them. `leaveOut`: takes these props out of what falls. */
export async function leaveOutAndBegin(
  leaveOut: (props: ReadonlySet<string>) => void,
  begin: () => Promise<boolean>,
): Promise<void> {
  leaveOut(new Set(useStage.getState().lacking.map((l) => l.key)));
  await begin();
}

/** What falls without pieces of these props is what is selected from now on. */
export function leaveOutOfSettle(props: ReadonlySet<string>): void {
  const { select, setSettle } = useStage.getState();
  select(falling().flatMap((p) => (props.has(p.prop) ? [] : [p.key])));
  setSettle({ what: "selected" });
}

export function leaveOutOfPour(props: ReadonlySet<string>): void {
  const { pour, setPour } = useStage.getState();
  setPour({ props: pour.props.filter((k) => !props.has(k)) });
}

/** Stop a run, or throw away what came of it. */
export async function discard(job: string | undefined = useStage.getState().job?.key): Promise<void> {
  const { key, forget, select, selected, pieces } = useStage.getState();
  if (!key || !job) return;
  select(selected.filter((k) => pieces.has(k)));
  forget(job);
  try {
    await wanted(client.DELETE("/api/sets/{key}/jobs/{job}", { params: { path: { key, job } } }));
  } catch {
    // It has ended by itself meanwhile; there is nothing left to discard.
  }
}
