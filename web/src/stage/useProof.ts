/** A proof in the making: how far it is, and a press that begins or stops it. */
import { tell } from "../ui/telling";
import { useCallback, useRef, useState } from "react";
import { toast } from "sonner";

import { useStage } from "../state";
import { saveProof } from "./proof";
import type { StageView } from "./view";

export function useProof(view: () => StageView | null): { proof: number | null; makeProof: () => void } {
  const [proof, setProof] = useState<number | null>(null);
  const under = useRef<{ stop: boolean } | null>(null);
  const make = useCallback(async () => {
    const stage = view();
    if (!stage) return;
    if (under.current) {
      under.current.stop = true;
      return;
    }
    const mine = { stop: false };
    under.current = mine;
    setProof(0);
    const { name, fits } = useStage.getState();
    const bad = [...fits.values()].filter((f) => f.faults.length).length;
    try {
      const words = bad ? `${bad} of ${fits.size} do not sit` : `${fits.size} pieces, all seated`;
      const file = await saveProof(stage, name, words, (share) => {
        setProof(share);
        return !mine.stop;
      });
      toast(file ? `Saved as “${file}”.` : "Stopped; no picture was saved.");
    } catch (problem) {
      tell(problem);
    } finally {
      under.current = null;
      setProof(null);
    }
  }, [view]);
  return { proof, makeProof: () => void make() };
}
