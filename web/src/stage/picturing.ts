/** The picture of a set on its card: drawn when nothing has changed for a while, and when the set is left. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { askAgain } from "../api/askAgain";
import { client, wanted } from "../api/client";
import type { LineState } from "../api/live";
import { useStage } from "../state";
import type { StageView } from "./view";

const [WIDTH, HEIGHT] = [640, 400];
const STILL_MS = 4000;
const AWAY: LineState[] = ["lost", "ended", "crowded"];

async function send(key: string, picture: string): Promise<void> {
  const body = { picture: picture.slice(picture.indexOf(",") + 1) };
  // A card without its newest picture is no loss worth a word.
  await wanted(client.PUT("/api/sets/{key}/picture", { params: { path: { key } }, body })).catch(
    () => undefined,
  );
}

/** To be used before what closes the stage, which is then still there when it is left. */
export function useSetPicture(key: string, view: () => StageView | null): void {
  const queries = useQueryClient();
  useEffect(() => {
    let waiting = 0;
    let drawn = -1;
    const take = () => {
      const { revision, key: now, preview, job, line } = useStage.getState();
      const stage = view();
      // A set that is no longer open to this visitor, or that cannot be reached, gets none.
      if (!stage || now !== key || AWAY.includes(line) || preview || job) return;
      if (stage.drawnRevision < revision || drawn === revision) return;
      drawn = revision;
      void send(key, stage.pictures.snapshot(WIDTH, HEIGHT)).then(() => askAgain(queries, ["sets"]));
    };
    const later = () => {
      clearTimeout(waiting);
      waiting = window.setTimeout(take, STILL_MS);
    };
    // Whoever leaves, or looks at another page, finds the card as the set was left.
    const left = () => {
      if (document.visibilityState === "hidden") take();
    };
    document.addEventListener("visibilitychange", left);
    later();
    const off = useStage.subscribe((now, before) => {
      if (now.revision !== before.revision) later();
    });
    return () => {
      clearTimeout(waiting);
      document.removeEventListener("visibilitychange", left);
      off();
      take();
    };
  }, [key, view, queries]);
}
