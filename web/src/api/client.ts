/** The server's API, typed from its published schema, with one way of failing: an Error that says what to do. */
import createClient, { type Middleware } from "openapi-fetch";

import type { components, paths } from "./schema";
import { sessionEnded } from "./session";

export type Schemas = components["schemas"];
export type Piece = Schemas["PieceSchema"];
/** Where something is drawn; the basis that the server keeps besides says the same, to the last bit. */
export type Pose = Omit<Schemas["PoseSchema"], "basis">;
export type Fit = Schemas["FitSchema"];
export type FitState = Fit["state"];
export type Prop = Schemas["PropSchema"];
export type SetData = Schemas["SetSchema"];
export type SetCard = Schemas["SetCard"];
export type Change = Schemas["ChangeSchema"];
export type Delta = Change["deltas"][number];
export type Feeler = Schemas["FeelerSchema"];
export type Move = Schemas["MoveRequest"]["move"];
export type PropDetail = Schemas["PropDetail"];
export type HouseItem = Schemas["HouseItem"];
export type ContactShape = Schemas["ContactSchema"];
export type Job = Schemas["JobSchema"];
export type Outcome = Schemas["OutcomeSchema"];
export type HistoryStep = Schemas["HistorySchema"];
export type Triple = [number, number, number];

export class ServerError extends Error {
  constructor(
    readonly status: number,
    message: string,
    /** Keys of the ties that are in the way of a move. */
    readonly ties: string[] = [],
    /** What programs tell errors apart by; the words are for people. */
    readonly code: Schemas["Problem"]["code"] = "unexpected",
    /** Keys of the pieces that are in the way. */
    readonly pieces: string[] = [],
  ) {
    super(message);
  }
}

function cookie(name: string): string {
  const found = document.cookie.split("; ").find((entry) => entry.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

/** The stage that asks; the server refuses what another stage holds. */
let stageName = "";

export function askAs(stage: string): void {
  stageName = stage;
}

const carriesToken: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") {
      request.headers.set("X-CSRFToken", cookie("csrftoken"));
      if (stageName) request.headers.set("X-Stage", stageName);
    }
    return request;
  },
};

/** Files sent with their progress (0 to 1); null progress while the server works. Rejects with ServerError. */
export function sendFiles<T>(
  address: string,
  fields: Record<string, string>,
  files: { name: string; file: File }[],
  onProgress: (share: number) => void,
  signal?: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    Object.entries(fields).forEach(([name, value]) => form.append(name, value));
    files.forEach(({ name, file }) => form.append(name, file, file.name));
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("X-CSRFToken", cookie("csrftoken"));
    request.upload.onprogress = (e) => e.lengthComputable && onProgress(e.loaded / e.total);
    request.onload = () => {
      let said: unknown;
      try {
        said = JSON.parse(request.responseText);
      } catch {
        said = null;
      }
      if (request.status >= 200 && request.status < 300) resolve(said as T);
      else {
        if (request.status === 401) sessionEnded();
        const words = (said as { error?: string } | null)?.error ?? `the server said ${request.status}`;
        reject(new ServerError(request.status, words));
      }
    };
    request.onerror = () => reject(new ServerError(0, "The server does not answer; nothing was kept."));
    request.onabort = () => reject(new ServerError(0, "Stopped; nothing was kept."));
    signal?.addEventListener("abort", () => request.abort());
    request.send(form);
  });
}

export const client = createClient<paths>({ baseUrl: "/" });
client.use(carriesToken);

/** What is asked by those who are not signed in: a refusal there is no end of a session. */
const ASKED_WITHOUT = /\/api\/(visitor|sign-in)$/;

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer, as the schema calls it (the client library widens tuples to lists, so it is named
 * where it is asked for). Throws ServerError with the server's own words. */
export async function wanted<T>(asked: Promise<Answer<unknown>>): Promise<T> {
  let answer: Answer<unknown>;
  try {
    answer = await asked;
  } catch {
    throw new ServerError(0, "The server does not answer. Your work is safe; try again in a moment.");
  }
  if (!answer.response.ok) {
    const said = answer.error as Partial<Schemas["Problem"]> | undefined;
    const words = said?.error ?? `the server said ${answer.response.status}`;
    const { status, url } = answer.response;
    if (status === 401 && !ASKED_WITHOUT.test(url)) sessionEnded();
    throw new ServerError(status, words, said?.ties, said?.code, said?.pieces);
  }
  return answer.data as T;
}
