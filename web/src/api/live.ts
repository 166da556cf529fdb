/** The live line to a set: changes come in, questions of the pointer go out. One question is under way at a
 * time and only the newest waits, so answers never queue up behind the pointer. */
import { onSessionGoesOn, sessionEnded } from "./session";
import type { Change, Fit, Job, Move, Piece, Schemas, Triple } from "./client";

export type SlipSettings = Schemas["PointSlip"];
export type Question = Omit<Schemas["PointQuestion"], "kind" | "n">;
/** Where it sits. */
export type Pointed = Omit<
  Required<Schemas["PointedNews"]>,
  "pose" | "direction" | "touch" | "normal" | "on"
> & {
  pose: Schemas["PoseSchema"];
  direction: Triple;
  touch: Triple;
  normal: Triple;
  on: string;
};
/** A move previewed and not made: the records as it would leave them. */
export type Previewed = Schemas["PreviewedNews"];
export type CatchQuestion = Omit<Schemas["CatchQuestion"], "kind" | "n">;
/** The corner, edge, middle, centre or face that the pointer is near. */
export interface Caught {
  what: "corner" | "edge" | "middle" | "centre" | "face";
  on: string;
  point: Triple;
  facing: Triple;
  clock: Triple;
  ends: [Triple, Triple] | null;
}
export type Onlooker = Schemas["OnlookerSchema"];
export type Cast = Schemas["CastNews"];
type News = Schemas["News"];
type Asked = Schemas["PointQuestion"] | Schemas["PreviewQuestion"] | Schemas["CatchQuestion"];
type Unnumbered =
  | Omit<Schemas["PointQuestion"], "n">
  | Omit<Schemas["PreviewQuestion"], "n">
  | Omit<Schemas["CatchQuestion"], "n">;
type Answer = Pointed | Previewed | Caught;
type Told = Exclude<Schemas["Asked"], Asked>;

/** "ended": the set is no longer open to this visitor. "crowded": they have too many stages open. While the session has ended, or may
 * have, it is "lost" until somebody is signed in again. */
export type LineState = "joining" | "joined" | "lost" | "ended" | "crowded";

export interface Handlers {
  changed: (change: Change) => void;
  /** How deep pieces are in others, of which it was only known that they are. */
  measured: (revision: number, fits: Fit[]) => void;
  ready: (revision: number, stage: string) => void;
  job: (job: Job) => void;
  cast: (cast: Cast) => void;
  /** A prop was made anew: its model and its figures are others. */
  prop: (key: string) => void;
  /** (n, 7) position and turn since the start (quaternion x y z w) of the rows of a job's cast. */
  frame: (job: string, poses: Float32Array) => void;
  /** How far a move is, by the name that it was asked by; whoever did not ask for it knows no such name. */
  underWay: (ask: string, done: number, total: number, pieces: Piece[]) => void;
  presence: (here: Onlooker[]) => void;
  /** Somebody else holds what was taken hold of. */
  notHeld: (by: string) => void;
  state: (state: LineState) => void;
  /** A question that has no answer, and why; `ties`: those that are in the way of the move that was asked about. */
  refused: (words: string, ties: string[]) => void;
}

interface Waiting {
  question: Unnumbered;
  /** It is answered in its turn, and not overtaken by newer ones; but it does not outlast the line. */
  press: boolean;
  resolve: (answer: Answer | null) => void;
}

const RETRY_MS = [300, 700, 1500, 3000, 6000];
const LOST_ANSWER_MS = 4000;
/** What the server closes a line with for good, and what the line is then. */
const ENDED_CODES = new Map<number, LineState>([
  [4404, "ended"],
  [4429, "crowded"],
]);
const SIGNED_OUT = 4401;
const JOB_BYTES = 16;

/** The job that a frame is of, and its rows. */
export function readFrame(data: ArrayBuffer): { job: string; poses: Float32Array } {
  const head = new Uint8Array(data, 0, JOB_BYTES);
  const job = [...head].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  return { job, poses: new Float32Array(data, JOB_BYTES) };
}

export class LiveLine {
  private socket: WebSocket | null = null;
  private readonly deaf: () => void;
  private closed = false;
  private joined = false;
  private tries = 0;
  private later: ReturnType<typeof setTimeout> | undefined;
  private n = 0;
  private asked: (Waiting & { n: number; at: number }) | null = null;
  private presses: Waiting[] = [];
  private newest: Waiting | null = null;
  private frame: { job: string; poses: Float32Array } | null = null;
  /** Milliseconds from question until the answer had arrived and until it was read, newest last; for the benchmark. */
  readonly latencies: { arrived: number; read: number }[] = [];

  constructor(
    private readonly key: string,
    private readonly handlers: Handlers,
  ) {
    this.deaf = onSessionGoesOn(() => {
      if (!this.closed && this.socket?.readyState === WebSocket.CLOSED) this.open();
    });
    this.open();
  }

  private open(): void {
    clearTimeout(this.later);
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/ws/sets/${this.key}`);
    this.socket = socket;
    socket.binaryType = "arraybuffer";
    // Once it was lost, it is lost until the server is ready again.
    if (this.tries === 0) this.handlers.state("joining");
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      if (this.closed) return;
      if (event.data instanceof ArrayBuffer) this.draw(readFrame(event.data));
      else this.receive(JSON.parse(event.data) as News, event.timeStamp);
    };
    socket.onclose = ({ code }: CloseEvent) => {
      if (this.closed) return;
      this.joined = false;
      this.setAside();
      const ended = ENDED_CODES.get(code);
      if (ended) {
        this.close();
        return this.handlers.state(ended);
      }
      this.handlers.state("lost");
      if (code === SIGNED_OUT) return sessionEnded();
      this.later = setTimeout(
        () => !this.closed && this.open(),
        RETRY_MS[Math.min(this.tries++, RETRY_MS.length - 1)],
      );
    };
  }

  /** The line is lost. What the pointer asked is asked again when it is back; a press is not made later, out of the blue. */
  private setAside(): void {
    const { asked } = this;
    this.asked = null;
    if (asked && !asked.press && !this.newest) this.newest = asked;
    else asked?.resolve(null);
    for (const press of this.presses.splice(0)) press.resolve(null);
  }

  /** Drawn with the next picture, unless a newer frame has come by then; then the server may send another. */
  private draw(frame: { job: string; poses: Float32Array }): void {
    const before = this.frame;
    this.frame = frame;
    if (before) return this.send({ kind: "drawn", job: before.job });
    requestAnimationFrame(() => {
      const newest = this.frame;
      this.frame = null;
      if (!newest || this.closed) return;
      this.handlers.frame(newest.job, newest.poses);
      this.send({ kind: "drawn", job: newest.job });
    });
  }

  private receive(news: News, arrived: number): void {
    const { handlers } = this;
    switch (news.kind) {
      case "ready":
        this.tries = 0;
        this.joined = true;
        handlers.state("joined");
        handlers.ready(news.revision, news.stage);
        return this.sendNext();
      case "presence":
        return handlers.presence(news.here);
      case "job":
        return handlers.job(news.job);
      case "cast":
        return handlers.cast(news);
      case "prop":
        return handlers.prop(news.prop);
      case "under_way":
        return handlers.underWay(news.ask, news.done, news.total, news.pieces);
      case "held":
        return news.by ? handlers.notHeld(news.by) : undefined;
      case "changed":
        return handlers.changed(news);
      case "measured":
        return handlers.measured(news.revision, news.fits);
      case "refused":
        if (news.n === null || news.n === this.asked?.n) handlers.refused(news.error, news.ties);
        return this.answer(news.n, null, arrived);
      case "pointed":
        return this.answer(news.n, news.pose ? (news as Pointed) : null, arrived);
      case "previewed":
        return this.answer(news.n, news, arrived);
      case "caught":
        return this.answer(news.n, news.what ? (news as Caught) : null, arrived);
    }
  }

  private answer(n: number | null, answer: Answer | null, arrived: number): void {
    if (!this.asked || n !== this.asked.n) return;
    const { resolve, at } = this.asked;
    this.asked = null;
    this.latencies.push({ arrived: arrived - at, read: performance.now() - at });
    if (this.latencies.length > 2000) this.latencies.shift();
    resolve(answer);
    this.sendNext();
  }

  /** Ask where a prop sits under a ray. Resolves to null when it sits nowhere or a newer question overtook it. */
  ask(question: Question): Promise<Pointed | null> {
    return this.put({ kind: "point", ...question }, false) as Promise<Pointed | null>;
  }

  /** The same for a press: it is answered in its turn. Resolves to null, too, when the line is away. */
  askForPress(question: Question): Promise<Pointed | null> {
    return this.put({ kind: "point", ...question }, true) as Promise<Pointed | null>;
  }

  /** Ask what a move would do. Resolves to null when it cannot be made or a newer question overtook it. */
  previewMove(move: Move): Promise<Previewed | null> {
    return this.put({ kind: "preview", move }, false) as Promise<Previewed | null>;
  }

  /** Ask what is near a ray. Resolves to null when nothing is there or a newer question overtook it. */
  catchNear(question: CatchQuestion): Promise<Caught | null> {
    return this.put({ kind: "catch", ...question }, false) as Promise<Caught | null>;
  }

  /** Take hold of pieces, so that nobody else moves them meanwhile; of none to let go. */
  hold(keys: string[]): void {
    this.send({ kind: "hold", keys });
  }

  /** Pull grabbed pieces to a place while gravity acts; null lets them go. */
  pull(job: string, keys: string[], to: Triple | null, strength: "soft" | "firm"): void {
    this.send({ kind: "pull", job, keys, to, strength });
  }

  /** Where the stream of a pour goes; null pauses it. */
  stream(job: string, to: Triple | null): void {
    this.send({ kind: "stream", job, to });
  }

  /** A job that would go on may come to its end. */
  enough(job: string): void {
    this.send({ kind: "enough", job });
  }

  private send(message: Told | Asked): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }

  private put(question: Unnumbered, press: boolean): Promise<Answer | null> {
    return new Promise((resolve) => {
      if (press && !this.joined) return resolve(null);
      if (press) this.presses.push({ question, press, resolve });
      else {
        this.newest?.resolve(null);
        this.newest = { question, press, resolve };
      }
      if (this.asked && performance.now() - this.asked.at > LOST_ANSWER_MS) {
        this.asked.resolve(null);
        this.asked = null;
      }
      this.sendNext();
    });
  }

  private sendNext(): void {
    if (this.asked || !this.joined) return;
    const next = this.presses.shift() ?? this.newest;
    if (!next) return;
    if (next === this.newest) this.newest = null;
    this.n += 1;
    this.asked = { ...next, n: this.n, at: performance.now() };
    this.send({ ...next.question, n: this.n });
  }

  close(): void {
    this.closed = true;
    this.deaf();
    this.joined = false;
    this.asked?.resolve(null);
    this.newest?.resolve(null);
    this.asked = this.newest = null;
    for (const press of this.presses.splice(0)) press.resolve(null);
    this.socket?.close();
  }
}
