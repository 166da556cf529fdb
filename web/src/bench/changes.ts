import type { Schemas } from "../api/client";

export type Changes = Schemas["PropChanges"];
