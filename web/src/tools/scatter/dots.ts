/** Asks where the recipe in hand would lie, whenever a word of it changes. Only the newest answer counts. */
import { client, wanted } from "../../api/client";
import type { Schemas } from "../../api/client";
import { useStage } from "../../state";
import { NOTHING_BARRED } from "../../state/scatter";
import { isLaid } from "./recipes";

/** Milliseconds after the last change of a word before it is asked: a scrubbed figure changes many times a second. */
const WAIT_MS = 40;

export class AskDots {
  private waiting: ReturnType<typeof setTimeout> | null = null;
  private asked: AbortController | null = null;

  constructor(private readonly key: string) {}

  again(): void {
    this.stop();
    const { verb, recipe, dots, barred, set } = useStage.getState();
    const nothing = verb !== "scatter" || !recipe.props.length || !recipe.on.length || isLaid();
    if (nothing && (dots.length || barred.at.length)) set({ dots: [], barred: NOTHING_BARRED });
    if (!nothing) this.waiting = setTimeout(() => void this.ask(), WAIT_MS);
  }

  private async ask(): Promise<void> {
    const asked = (this.asked = new AbortController());
    const { recipe, openRecipe, set } = useStage.getState();
    try {
      const found = await wanted<Schemas["DotsSchema"]>(
        client.POST("/api/sets/{key}/dots", {
          params: { path: { key: this.key } },
          body: { recipe, again: openRecipe },
          signal: asked.signal,
        }),
      );
      if (this.asked !== asked) return;
      const count = found.points.length / 3;
      set({
        dots: found.points,
        barred: { at: found.barred, apart: found.apart },
        note: `${count} ${count === 1 ? "place" : "places"} to lie on`,
      });
    } catch (problem) {
      if (this.asked === asked) set({ dots: [], barred: NOTHING_BARRED, note: (problem as Error).message });
    }
  }

  private stop(): void {
    if (this.waiting !== null) clearTimeout(this.waiting);
    this.waiting = null;
    this.asked?.abort();
    this.asked = null;
  }

  dispose(): void {
    this.stop();
  }
}
