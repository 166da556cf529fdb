/** A set opened on the page: what is drawn, the line to the server, the pointer and the keys, wired together and taken apart again. */
import * as THREE from "three";
import { toast } from "sonner";

import { type SetData, askAs } from "../api/client";
import { LiveLine } from "../api/live";
import { forgetOldModels } from "../drawing/models";
import { fetchChosen } from "../commands/chosen";
import { HeldKeys } from "../commands/held";
import { listenToKeys } from "../commands/keys";
import type { Desk } from "../commands/table";
import { inWords } from "../fit/units";
import { findJobs } from "../gravity/beginning";
import { Fall } from "../gravity/fall";
import { useStage } from "../state";
import { Beside } from "../stage/beside";
import { isMine, learnAgain, learnNew, reload, tryingOn } from "../stage/making";
import { AskDots } from "../tools/scatter/dots";
import { mark, markTies, markTool, showComing } from "./marking";
import { StagePointer } from "../tools/pointer";
import type { Layer } from "../stage/layers";
import type { ModelsOf } from "../stage/pieces";
import { StageView, chosenQuality } from "../stage/view";

declare global {
  interface Window {
    /** For the browser tests and the benchmark: what is drawn, where a piece is, how fast answers come. */
    brickseat?: {
      view: StageView;
      line: LiveLine;
      state: typeof useStage.getState;
      /** Where a world point is on the stage, in CSS pixels of the page. */
      screen: (x: number, y: number, z: number) => { x: number; y: number };
    };
  }
}

export interface OpenedStage extends Desk {
  line: LiveLine;
  fall: Fall;
  /** How the set is looked at. */
  looked: Layer;
  dispose: () => void;
}

/** Where the models of the props that are known here come from. */
const models: ModelsOf = {
  file: (prop) => useStage.getState().props.get(prop)?.file,
  lightFile: (prop) => {
    const file = models.file(prop);
    return file && `${file}?light=true`;
  },
  box: (prop) => {
    const known = useStage.getState().props.get(prop);
    if (!known?.corner) return null;
    const corner = new THREE.Vector3(...known.corner);
    return new THREE.Box3(
      corner,
      corner.clone().add(new THREE.Vector3(known.width, known.height, known.depth)),
    );
  },
};

/** `host`: what the canvas fills; `over`: what labels are written into. */
export function openStage(data: SetData, host: HTMLElement, over: HTMLElement): OpenedStage {
  const { open, close, set } = useStage.getState();
  open(data);
  set({ undrawn: false });
  const beside = new Beside(over);
  const view = new StageView(
    host,
    models,
    { place: (labels) => beside.labels(labels) },
    chosenQuality(),
    (keys) => line.hold(keys),
    (problem) => set({ note: problem.message }),
    (undrawn) => set({ undrawn }),
  );
  const looked = view.layers.open("look");
  const marks = view.layers.open("marks");
  const coming = view.layers.open("job");
  const fall = new Fall(view);
  const mine = () => useStage.getState().key === data.key;
  // One change after the other: each waits until the props of the one before it are known.
  let changes: Promise<void> = Promise.resolve();
  const line = new LiveLine(data.key, {
    changed: (change) => {
      changes = changes
        .then(() => learnNew(change))
        .then(() => {
          if (mine() && useStage.getState().apply(change) === "behind") return reload(data.key);
        })
        .catch((problem: Error) => set({ note: problem.message }));
    },
    measured: (now, fits) => useStage.getState().hearMeasured(now, fits),
    ready: (now, stageName) => {
      askAs(stageName);
      set({ stage: stageName });
      const { revision, fits } = useStage.getState();
      // What was measured before this stage was heard of was not told to it.
      const behind = now !== revision || [...fits.values()].some((fit) => fit.deeper);
      if (behind) void reload(data.key).catch(() => undefined);
      void findJobs().catch(() => undefined);
    },
    state: (state) => set({ line: state }),
    refused: (words, ties) => set({ note: words, tiesInTheWay: ties }),
    job: (job) => useStage.getState().hearOf(job),
    frame: (job, poses) => fall.frame(job, poses),
    cast: (cast) => fall.cast(cast),
    prop: (prop) => void learnAgain(prop).then(() => view.remodel(prop)),
    underWay: (ask, done, total, pieces) => {
      if (isMine(ask)) useStage.getState().hearUnderWay(ask, done, total, pieces);
    },
    presence: (here) => set({ here }),
    notHeld: (by) => {
      pointer.cancel();
      toast(`${by} is moving that just now; wait until it is let go.`);
    },
  });
  const pointer = new StagePointer({ view, line, beside });
  const held = new HeldKeys();
  set({
    tryOut: tryingOn(view, line),
    enough: () => {
      const { job } = useStage.getState();
      if (job) line.enough(job.key);
    },
  });
  window.brickseat = {
    view,
    line,
    state: useStage.getState,
    screen: (x, y, z) => {
      const box = view.canvas.getBoundingClientRect();
      const on = view.aim.onScreen([x, y, z]);
      return { x: box.left + on.x, y: box.top + on.y };
    },
  };
  const standShapes = (shapes: ReadonlyMap<string, string>) =>
    void view.layers.stand({ shapes }).catch((problem: Error) => set({ note: problem.message }));
  standShapes(useStage.getState().shapes);
  markTies(marks);
  if (data.look) view.standAt(data.look.eye, data.look.target);
  const askDots = new AskDots(data.key);
  const thin = () => {
    const { shownShare: share, selected } = useStage.getState();
    void looked.show({ thinned: share < 1 ? { share, spared: new Set(selected) } : undefined });
  };
  thin();
  // Those that they came with do until they are there.
  void fetchChosen().catch(() => undefined);
  const deaf = listenToKeys({ view, pointer, held });
  const quiet = useStage.subscribe((now, before) => {
    const differs = (...names: (keyof typeof now)[]) => names.some((name) => now[name] !== before[name]);
    if (differs("selected", "fits", "verb", "preview", "job")) mark(view, inWords);
    if (differs("selected", "ties", "measures", "tiesShown", "tiesInTheWay", "preview", "job"))
      markTies(marks);
    if (differs("recipes")) now.followRecipes(before.recipes);
    if (differs("recipes", "regions")) now.followFillings(before.recipes);
    if (differs("recipe", "openRecipe", "verb", "revision")) askDots.again();
    if (differs("shownShare", "selected")) thin();
    if (
      differs(
        "dots",
        "shownShare",
        "barred",
        "recipe",
        "openRecipe",
        "openFilling",
        "filling",
        "regions",
        "verb",
        "revision",
        "preview",
      )
    )
      markTool(view, marks);
    if (differs("underWay")) showComing(coming);
    if (differs("shapes")) standShapes(now.shapes);
    // What was in the way of one move is not in the way of the set as it is after the next.
    if (differs("revision") && now.tiesInTheWay.length) set({ tiesInTheWay: [] });
    if (differs("slip", "verb", "join", "lineUp", "filling", "drawingBay")) pointer.again();
  });
  return {
    view,
    pointer,
    held,
    line,
    fall,
    looked,
    dispose: () => {
      deaf();
      quiet();
      askDots.dispose();
      pointer.dispose();
      fall.dispose();
      line.close();
      view.dispose();
      forgetOldModels();
      beside.dispose();
      delete window.brickseat;
      close();
    },
  };
}
