/** Make a move, undo, redo: the only ways the browser changes a set. */
import { toast } from "sonner";

import {
  type Change,
  type Feeler,
  type Move,
  ServerError,
  type SetData,
  client,
  wanted,
} from "../api/client";
import { useStage } from "./store";

export async function reload(key: string): Promise<void> {
  const data = await wanted<SetData>(client.GET("/api/sets/{key}", { params: { path: { key } } }));
  useStage.getState().open(data);
}

async function carry(key: string, asked: Promise<Change>): Promise<Change | null> {
  const { busy, apply } = useStage.getState();
  busy(1);
  try {
    const change = await asked;
    if (useStage.getState().key === key && apply(change) === "behind") await reload(key);
    for (const { key: piece, reason } of change.left.slice(0, 3)) {
      const name = useStage.getState().pieces.get(piece)?.name ?? "A piece";
      toast(`${name} is left as it is: ${reason}`);
    }
    if (change.left.length > 3)
      toast(`${change.left.length - 3} more are left as they are; their reasons stand with them.`);
    return change;
  } catch (error) {
    toast.error(error instanceof ServerError ? error.message : String(error));
    return null;
  } finally {
    busy(-1);
  }
}

export function make(move: Move): Promise<Change | null> {
  const key = useStage.getState().key;
  if (!key) return Promise.resolve(null);
  return carry(
    key,
    wanted<Change>(client.POST("/api/sets/{key}/moves", { params: { path: { key } }, body: { move } })),
  );
}

export function undo(): Promise<Change | null> {
  const { key } = useStage.getState();
  if (!key) return Promise.resolve(null);
  return carry(key, wanted<Change>(client.POST("/api/sets/{key}/undo", { params: { path: { key } } })));
}

export function redo(): Promise<Change | null> {
  const { key } = useStage.getState();
  if (!key) return Promise.resolve(null);
  return carry(key, wanted<Change>(client.POST("/api/sets/{key}/redo", { params: { path: { key } } })));
}

export async function lookThroughGap(
  piece: string,
): Promise<{ at: [number, number, number]; azimuth: number; half: number } | null> {
  const { key } = useStage.getState();
  if (!key) return null;
  try {
    const found = await wanted<Feeler>(
      client.GET("/api/sets/{key}/feeler/{piece}", { params: { path: { key, piece } } }),
    );
    return { at: found.at, azimuth: found.azimuth, half: found.half };
  } catch (error) {
    toast.error(error instanceof ServerError ? error.message : String(error));
    return null;
  }
}
