import * as THREE from "three";
import { beforeEach, describe, expect, it, vi } from "vitest";

import { piece } from "../fit/examples";
import { Layers } from "./layers";
import { Pieces } from "./pieces";

let works = false;
let asked = 0;
let files: string[] = [];
vi.mock("../drawing/models", () => ({
  loadModel: (file: string) => {
    asked += 1;
    files.push(file);
    if (!works) return Promise.reject(new Error("the model of a prop could not be loaded (503)"));
    const geometry = new THREE.BoxGeometry(1, 1, 1);
    const part = { geometry, material: new THREE.MeshStandardMaterial() };
    const box = new THREE.Box3().setFromObject(new THREE.Mesh(geometry));
    const triangles = file.includes("heavy") ? (file.includes("light") ? 400 : 10_000) : 12;
    return Promise.resolve({ parts: [part], box, triangles });
  },
  trianglesOf: () => 12,
}));

/** Draws what stands, and what layers show over it. */
function layersOf(pieces: Pieces): Layers {
  return new Layers(
    (scene) => pieces.draw(scene),
    () => undefined,
    (problem) => {
      throw problem;
    },
  );
}

const models = { file: () => "/p.glb", lightFile: () => undefined, box: () => null };

describe("a model that does not come", () => {
  beforeEach(() => {
    vi.useFakeTimers();
    [works, asked] = [false, 0];
    return () => vi.useRealTimers();
  });

  it("is asked for again, and its pieces are drawn as soon as it is there", async () => {
    const redrawn = vi.fn();
    const pieces = new Pieces(models, redrawn, false);
    const layers = layersOf(pieces);
    await expect(layers.stand({ pieces: new Map([["jar", piece("jar", 0)]]) })).rejects.toThrow("503");
    expect(pieces.frame("jar")).toBeNull();
    await vi.advanceTimersByTimeAsync(1100);
    expect(asked).toBe(2);
    works = true;
    await vi.advanceTimersByTimeAsync(2100);
    expect(pieces.frame("jar")).not.toBeNull();
    expect(redrawn).toHaveBeenCalled();
    await vi.advanceTimersByTimeAsync(60_000);
    expect(asked, "then no more").toBe(3);
    pieces.dispose();
  });

  it("is asked for with the next change, too, and no more once the stage is gone", async () => {
    const pieces = new Pieces(models, () => undefined, false);
    const layers = layersOf(pieces);
    await layers.stand({ pieces: new Map([["jar", piece("jar", 0)]]) }).catch(() => undefined);
    works = true;
    await layers.stand({ pieces: new Map([["jar", piece("jar", 0.5)]]) });
    expect(pieces.frame("jar")).not.toBeNull();
    works = false;
    await layers.stand({ pieces: new Map([["kiln", piece("kiln", 0, "bearer")]]) }).catch(() => undefined);
    const before = asked;
    pieces.dispose();
    await vi.advanceTimersByTimeAsync(60_000);
    expect(asked).toBe(before);
  });
});

describe("a prop that is made anew while its model is on its way", () => {
  it("is drawn by the new model", async () => {
    [works, files] = [true, []];
    let file = "/old.glb";
    const waiting = new Map<string, () => void>();
    const pieces = new Pieces(
      { ...models, file: () => file },
      () => undefined,
      false,
      Infinity,
      () => new Promise<void>((done) => waiting.set(files.at(-1)!, done)),
    );
    const layers = layersOf(pieces);
    const shown = layers.stand({ pieces: new Map([["jar", piece("jar", 0)]]) });
    await vi.waitFor(() => expect(waiting.has("/old.glb")).toBe(true));
    file = "/new.glb";
    const again = pieces.remodel("p");
    await vi.waitFor(() => expect(waiting.has("/new.glb")).toBe(true));
    waiting.get("/old.glb")!();
    await shown;
    expect(pieces.frame("jar")).toBeNull();
    waiting.get("/new.glb")!();
    await again;
    expect(pieces.frame("jar")).not.toBeNull();
    expect(pieces.group.children.length).toBe(1);
    pieces.dispose();
  });
});

describe("a set with more triangles than should be drawn", () => {
  const heavy = {
    file: () => "/heavy.glb",
    lightFile: () => "/heavy.glb?light=true",
    box: () => new THREE.Box3(new THREE.Vector3(0, 0, 0), new THREE.Vector3(1, 1, 1)),
  };
  const from = { eyes: [new THREE.Vector3(0, 0, 30)], pixel: 0.001, seen: null };
  const row = (count: number) =>
    new Map(Array.from({ length: count }, (_, n) => [`p${n}`, piece(`p${n}`, n)]));
  const drawn = (pieces: Pieces) =>
    pieces.group.children.flatMap((crowd) =>
      (crowd.children as THREE.InstancedMesh[]).flatMap((m) =>
        m.count ? [[m.userData.closeness, m.count]] : [],
      ),
    );

  beforeEach(() => {
    [works, asked, files] = [true, 0, []];
  });

  it("asks for light copies, once, and draws by them; with few pieces all are drawn as they are", async () => {
    const redrawn = vi.fn();
    const pieces = new Pieces(heavy, redrawn, false, 50_000);
    const layers = layersOf(pieces);
    await layers.stand({ pieces: row(4) });
    pieces.see(from);
    expect([files, drawn(pieces)]).toEqual([["/heavy.glb"], [[3, 4]]]);
    await layers.stand({ pieces: row(20) });
    pieces.see(from);
    pieces.see(from);
    expect(files).toEqual(["/heavy.glb", "/heavy.glb?light=true"]);
    redrawn.mockClear();
    await vi.waitFor(() => expect(redrawn).toHaveBeenCalled());
    pieces.see(from);
    expect(drawn(pieces)).toEqual([[2, 20]]);
    // A still shows everything as it is.
    pieces.dressForStill(true, true);
    pieces.see(from);
    expect(drawn(pieces)).toEqual([[3, 20]]);
    pieces.dispose();
    expect(pieces.group.children).toEqual([]);
  });

  it("shows boxes until its models are there, and leaves out what is hidden", async () => {
    let come: () => void = () => undefined;
    const pieces = new Pieces(
      heavy,
      () => undefined,
      false,
      Infinity,
      () => new Promise<void>((done) => (come = done)),
    );
    const layers = layersOf(pieces);
    const shown = layers.stand({ pieces: row(3) });
    pieces.see(from);
    expect(drawn(pieces)).toEqual([[1, 3]]);
    const look = layers.open("look", { veiled: new Set(["p1"]) });
    pieces.see(from);
    expect(drawn(pieces)).toEqual([[1, 2]]);
    await vi.waitFor(() => {
      come();
      pieces.see(from);
      expect(drawn(pieces)).toEqual([[3, 2]]);
    });
    await shown;
    look.close();
    pieces.see(from);
    expect(drawn(pieces)).toEqual([[3, 3]]);
    expect(pieces.worldBox(["p2"]).min.x).toBeCloseTo(1.5);
    const drag = layers.open("drag", { poses: new Map([["p2", piece("p2", 9).pose]]) });
    expect(pieces.worldBox(["p2"]).min.x).toBeCloseTo(8.5);
    drag.close();
    expect(pieces.worldBox(["p2"]).min.x).toBeCloseTo(1.5);
    pieces.dispose();
  });
});

describe("what only marks the set", () => {
  it("asks for no new shadows; what moves a piece does", async () => {
    works = true;
    const redrawn = vi.fn();
    const pieces = new Pieces(models, redrawn, false);
    const layers = layersOf(pieces);
    await layers.stand({ pieces: new Map([["jar", piece("jar", 0)]]) });
    redrawn.mockClear();
    const tool = layers.open("tool", { dots: [0, 0, 0] });
    await tool.show({ tape: null, holds: new Set(["jar"]) });
    expect(redrawn).not.toHaveBeenCalled();
    await tool.show({ poses: new Map([["jar", piece("jar", 1).pose]]) });
    expect(redrawn).toHaveBeenCalledTimes(1);
    pieces.dispose();
  });
});

describe("thousands that recipes laid", () => {
  const laid = (number: number) => ({ ...piece(`stone ${number}`, number), recipe: "stones", number });
  const all = new Map(Array.from({ length: 400 }, (_, k) => laid(k + 1)).map((p) => [p.key, p]));
  const standing = new Map([...all, ["jar", piece("jar", 0)]]);
  const drawn = (pieces: Pieces) =>
    pieces.group.children.reduce((sum, group) => {
      const mesh = group.children[0] as THREE.InstancedMesh | undefined;
      return sum + (mesh?.count ?? 0);
    }, 0);

  it("are thinned, but for what is selected, and whole in a lit still", async () => {
    works = true;
    const pieces = new Pieces(models, () => undefined, false);
    const layers = layersOf(pieces);
    await layers.stand({ pieces: standing });
    const seen = () => {
      pieces.see({ eye: new THREE.Vector3(0, 0, 9), pixels: 800 } as never);
      return drawn(pieces);
    };
    expect(seen()).toBe(401);
    const look = layers.open("look");
    const thin = (share: number, spared: Iterable<string> = []) =>
      void look.show({ thinned: { share, spared: new Set(spared) } });
    thin(0.25);
    const few = seen();
    expect(few).toBeGreaterThan(0.18 * 400);
    expect(few).toBeLessThan(0.32 * 400 + 1);
    thin(0.25, all.keys());
    expect(seen()).toBe(401);
    thin(0.1);
    pieces.dressForStill(true, true);
    expect(seen()).toBe(401);
    pieces.dressForStill(false, false);
    expect(seen()).toBeLessThan(few);
    look.close();
    expect(seen()).toBe(401);
    pieces.dispose();
  });
});
