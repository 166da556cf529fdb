/** The live line to a set: changes come in, questions of the pointer go out. One question is under way at a
 * time and only the newest waits, so answers never queue up behind the pointer. */
import type { Change, Delta, Job, Move, Piece, Pose, Triple } from "./client";

export interface SlipSettings {
  side: string;
  lean: number;
  follow: string;
  turn: number;
  size: number | Triple;
  sink: number;
  stand_off: number;
  aim?: Triple | null;
}

export interface Question {
  ray: { origin: Triple; direction: Triple };
  slip: SlipSettings;
  prop?: string;
  piece?: string;
}

export interface Pointed {
  n: number;
  pose: Pose | null;
  direction: Triple;
  touch: Triple;
  normal: Triple;
  on: string;
  clashes: { other: string; name: string; depth: number }[];
  problem: string | null;
}

/** A move previewed and not made: the records as it would leave them. */
export interface Previewed {
  n: number;
  words: string;
  deltas: Delta[];
}

/** Somebody who has the set open. */
export interface Onlooker {
  stage: string;
  name: string;
  holding: string[];
}

/** A job as it goes: at its beginning, the pieces whose frames follow, and their poses before them. */
export type JobNews = Job & { keys?: string[]; starts?: Pose[] };

/** Pieces that join a job under way, or have left it by breaking; `files`: models that are not in the store, by prop. */
export interface CastNews {
  job: string;
  joined: Piece[];
  files: Record<string, string>;
  gone: string[];
}

export type LineState = "joining" | "joined" | "lost";

interface Handlers {
  changed: (change: Change) => void;
  ready: (revision: number, stage: string) => void;
  job: (news: JobNews) => void;
  cast: (news: CastNews) => void;
  /** A prop was made anew: its model and its figures are others. */
  prop: (key: string) => void;
  /** (n, 7) position and turn since the start (quaternion x y z w) of the pieces of the job that runs. */
  frame: (poses: Float32Array) => void;
  presence: (here: Onlooker[]) => void;
  /** Somebody else holds what was taken hold of. */
  notHeld: (by: string) => void;
  state: (state: LineState) => void;
  refused: (words: string) => void;
}

type Asked = ({ ask: "point" } & Question) | { ask: "preview"; move: Move };

interface Waiting {
  question: Asked;
  resolve: (answer: Pointed | Previewed | null) => void;
}

const RETRY_MS = [300, 700, 1500, 3000, 6000];
const LOST_ANSWER_MS = 4000;

export class LiveLine {
  private socket: WebSocket | null = null;
  private closed = false;
  private tries = 0;
  private n = 0;
  private asked: (Waiting & { n: number; at: number }) | null = null;
  private next: Waiting | null = null;
  private newest: Float32Array | null = null;
  /** Milliseconds from question until the answer had arrived and until it was read, newest last; for the benchmark. */
  readonly latencies: { arrived: number; read: number }[] = [];

  constructor(
    private readonly key: string,
    private readonly handlers: Handlers,
  ) {
    this.open();
  }

  private open(): void {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/ws/sets/${this.key}`);
    this.socket = socket;
    socket.binaryType = "arraybuffer";
    this.handlers.state("joining");
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      if (event.data instanceof ArrayBuffer) this.frame(new Float32Array(event.data));
      else this.receive(JSON.parse(event.data), event.timeStamp);
    };
    socket.onclose = () => {
      if (this.closed) return;
      this.dropQuestions();
      this.handlers.state("lost");
      setTimeout(() => !this.closed && this.open(), RETRY_MS[Math.min(this.tries++, RETRY_MS.length - 1)]);
    };
  }

  /** Drawn with the next picture, unless a newer frame has come by then; then the server may send another. */
  private frame(poses: Float32Array): void {
    const asked = this.newest !== null;
    this.newest = poses;
    if (asked) return this.drawn();
    requestAnimationFrame(() => {
      const { newest } = this;
      this.newest = null;
      if (newest) this.handlers.frame(newest);
      this.drawn();
    });
  }

  private drawn(): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send('{"tell":"drawn"}');
  }

  private dropQuestions(): void {
    this.asked?.resolve(null);
    this.next?.resolve(null);
    this.asked = this.next = null;
  }

  private receive(
    message: { kind: string; n?: number; error?: string } & Record<string, unknown>,
    arrived: number,
  ): void {
    if (message.kind === "ready") {
      this.tries = 0;
      this.handlers.state("joined");
      this.handlers.ready(message.revision as number, message.stage as string);
    } else if (message.kind === "presence") {
      this.handlers.presence(message.here as Onlooker[]);
    } else if (message.kind === "job") {
      this.handlers.job(message as unknown as JobNews);
    } else if (message.kind === "cast") {
      this.handlers.cast(message as unknown as CastNews);
    } else if (message.kind === "prop") {
      this.handlers.prop(message.prop as string);
    } else if (message.kind === "held") {
      if (message.by) this.handlers.notHeld(message.by as string);
    } else if (message.kind === "changed") {
      this.handlers.changed(message as unknown as Change);
    } else if (message.n !== undefined && this.asked && message.n === this.asked.n) {
      const { resolve, at } = this.asked;
      this.asked = null;
      this.latencies.push({ arrived: arrived - at, read: performance.now() - at });
      if (this.latencies.length > 2000) this.latencies.shift();
      if (message.kind === "error") {
        this.handlers.refused(message.error ?? "");
        resolve(null);
      } else {
        resolve(
          message.kind === "pointed" && !message.pose ? null : (message as unknown as Pointed | Previewed),
        );
      }
      this.sendNext();
    }
  }

  /** Ask where a prop sits under a ray. Resolves to null when it sits nowhere or a newer question overtook it. */
  ask(question: Question): Promise<Pointed | null> {
    return this.put({ ask: "point", ...question }) as Promise<Pointed | null>;
  }

  /** Ask what a move would do. Resolves to null when it cannot be made or a newer question overtook it. */
  previewMove(move: Move): Promise<Previewed | null> {
    return this.put({ ask: "preview", move }) as Promise<Previewed | null>;
  }

  /** Take hold of pieces, so that nobody else moves them meanwhile; of none to let go. */
  hold(keys: string[]): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify({ tell: "hold", keys }));
  }

  /** Pull grabbed pieces to a place while gravity acts; null lets them go. */
  shove(keys: string[], to: Triple | null, strength: "soft" | "firm"): void {
    if (this.socket?.readyState === WebSocket.OPEN)
      this.socket.send(JSON.stringify({ tell: "shove", keys, to, strength }));
  }

  /** Where the stream of a pour goes; null pauses it. */
  pour(to: Triple | null): void {
    if (this.socket?.readyState === WebSocket.OPEN)
      this.socket.send(JSON.stringify({ tell: "shove", pour: true, to }));
  }

  /** A shove may come to its end. */
  enough(): void {
    if (this.socket?.readyState === WebSocket.OPEN)
      this.socket.send(JSON.stringify({ tell: "shove", enough: true }));
  }

  private put(question: Asked): Promise<Pointed | Previewed | null> {
    return new Promise((resolve) => {
      this.next?.resolve(null);
      this.next = { question, resolve };
      if (this.asked && performance.now() - this.asked.at > LOST_ANSWER_MS) {
        this.asked.resolve(null);
        this.asked = null;
      }
      if (!this.asked) this.sendNext();
    });
  }

  private sendNext(): void {
    if (!this.next || this.socket?.readyState !== WebSocket.OPEN) return;
    this.n += 1;
    this.asked = { ...this.next, n: this.n, at: performance.now() };
    this.next = null;
    this.socket.send(JSON.stringify({ n: this.n, ...this.asked.question }));
  }

  close(): void {
    this.closed = true;
    this.dropQuestions();
    this.socket?.close();
  }
}
