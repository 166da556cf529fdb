import * as THREE from "three";
import { beforeEach, describe, expect, it, vi } from "vitest";

import { piece } from "../fit/examples";
import { Pieces } from "./pieces";

let works = false;
let asked = 0;
vi.mock("./models", () => ({
  loadModel: () => {
    asked += 1;
    if (!works) return Promise.reject(new Error("the model of a prop could not be loaded (503)"));
    const geometry = new THREE.BoxGeometry(1, 1, 1);
    const part = { geometry, material: new THREE.MeshStandardMaterial() };
    const box = new THREE.Box3().setFromObject(new THREE.Mesh(geometry));
    return Promise.resolve({ parts: [part], box, triangles: 12 });
  },
  trianglesOf: () => 12,
}));

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
    await expect(pieces.show(new Map([["jar", piece("jar", 0)]]))).rejects.toThrow("503");
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
    await pieces.show(new Map([["jar", piece("jar", 0)]])).catch(() => undefined);
    works = true;
    await pieces.show(new Map([["jar", piece("jar", 0.5)]]));
    expect(pieces.frame("jar")).not.toBeNull();
    works = false;
    await pieces.show(new Map([["kiln", piece("kiln", 0, "bearer")]])).catch(() => undefined);
    const before = asked;
    pieces.dispose();
    await vi.advanceTimersByTimeAsync(60_000);
    expect(asked).toBe(before);
  });
});
