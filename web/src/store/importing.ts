/** Files that were dropped or chosen, sorted into props: a model and what belongs to it, by name. */
import { type PropDetail, sendFiles } from "../api/client";

const MODELS = ["glb", "gltf", "obj", "ply", "stl", "usd", "usda", "usdc", "usdz"];

export interface Parcel {
  id: number;
  name: string;
  files: File[];
  /** 0 to 1 while it is sent, then 1 while it is measured. */
  sent: number;
  found: PropDetail | null;
  problem: string | null;
  stop: AbortController;
}

const ending = (file: File) => file.name.split(".").pop()?.toLowerCase() ?? "";

let counter = 0;

/** One parcel a model. What is no model goes with the models of its folder; alone, it is a parcel that will be refused. */
export function parcelsOf(files: File[]): Parcel[] {
  const models = files.filter((f) => MODELS.includes(ending(f)));
  const others = files.filter((f) => !models.includes(f));
  const needs = (model: File) => (["obj", "gltf"].includes(ending(model)) ? others : []);
  const parcels = models.map((model) => [model, ...needs(model)]);
  if (!models.length && others.length) parcels.push(others);
  return parcels.map((members) => ({
    id: ++counter,
    name: members[0]!.name,
    files: members,
    sent: 0,
    found: null,
    problem: null,
    stop: new AbortController(),
  }));
}

export async function send(parcel: Parcel, onNews: (parcel: Parcel) => void): Promise<void> {
  const files = parcel.files.map((file) => ({ name: "files", file }));
  try {
    const found = await sendFiles<PropDetail>(
      "/api/props",
      {},
      files,
      (sent) => onNews({ ...parcel, sent }),
      parcel.stop.signal,
    );
    onNews({ ...parcel, sent: 1, found });
  } catch (error) {
    onNews({ ...parcel, problem: (error as Error).message });
  }
}
