/** What Enter does in *settle*: the same as its button. */
import { beginSettle } from "../../gravity/beginning";
import { useStage } from "../../state";

/** Why nothing can fall now; null where it can. */
export function whyNotSettle(): string | null {
  const { job, settle, selected } = useStage.getState();
  if (job?.state === "running") return "Something falls already; stop it first, or wait.";
  if (job) return "Adopt or discard what came of it first.";
  if (settle.what === "selected" && !selected.length)
    return "Select the pieces that are to fall, or let everything loose fall.";
  return null;
}

export function enter(): void {
  const why = whyNotSettle();
  if (why) useStage.getState().set({ note: why });
  else void beginSettle();
}
