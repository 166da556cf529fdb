import { describe, expect, it } from "vitest";

import { parcelsOf } from "./importing";

const file = (name: string) => new File(["x"], name);
const names = (files: string[]) => parcelsOf(files.map(file)).map((p) => p.files.map((f) => f.name));

describe("files that are dropped", () => {
  it("are one parcel a model, with what belongs to it", () => {
    expect(names(["jug.glb", "mug.STL"])).toEqual([["jug.glb"], ["mug.STL"]]);
    expect(names(["pot.mtl", "pot.obj", "pot.png"])).toEqual([["pot.obj", "pot.mtl", "pot.png"]]);
    expect(names(["yard.gltf", "yard.bin", "cup.ply"])).toEqual([["yard.gltf", "yard.bin"], ["cup.ply"]]);
  });

  it("are sent even when no model is among them, for the server to say what is wrong", () => {
    expect(names(["notes.txt"])).toEqual([["notes.txt"]]);
    expect(names([])).toEqual([]);
  });
});
