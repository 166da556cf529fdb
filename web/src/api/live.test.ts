import { beforeEach, describe, expect, it, vi } from "vitest";

import { fit } from "../fit/examples";
import type { Schemas } from "./client";
import { onSessionEnd, sessionGoesOn } from "./session";
import { type Handlers, LiveLine, type Pointed, readFrame } from "./live";

class FakeSocket {
  static OPEN = 1;
  static CLOSED = 3;
  static all: FakeSocket[] = [];
  readyState = 1;
  sent: Record<string, unknown>[] = [];
  onmessage: (event: { data: unknown; timeStamp: number }) => void = () => undefined;
  onclose: (event: { code: number }) => void = () => undefined;
  constructor() {
    FakeSocket.all.push(this);
  }
  send(text: string): void {
    this.sent.push(JSON.parse(text) as Record<string, unknown>);
  }
  close(): void {
    this.readyState = 3;
  }
  hear(news: Schemas["News"]): void {
    this.onmessage({ data: JSON.stringify(news), timeStamp: 0 });
  }
  lose(code = 1006): void {
    this.readyState = 3;
    this.onclose({ code });
  }
}

const ray: Schemas["RaySchema"] = { origin: [0, 3, 0], direction: [0, -1, 0] };
const question = (prop: string) => ({ ray, prop, slip: {} });
const pose: Schemas["PoseSchema"] = {
  position: [0, 0, 0],
  orientation: [0, 0, 0, 1],
  scale: [1, 1, 1],
  basis: [1, 0, 0, 0, 1, 0, 0, 0, 1],
};
const pointed = (n: number): Schemas["News"] => ({
  kind: "pointed",
  n,
  revision: 0,
  pose,
  direction: [0, -1, 0],
  touch: [0, 0, 0],
  normal: [0, 1, 0],
  on: "floor",
  clashes: [],
  problem: null,
});

describe("the live line", () => {
  let line: LiveLine;
  let said: string[];
  const socket = () => FakeSocket.all.at(-1)!;
  const ready = () => socket().hear({ kind: "ready", revision: 3, stage: "s" });
  const props = () => socket().sent.map((m) => m.prop);

  beforeEach(() => {
    vi.useFakeTimers();
    FakeSocket.all = [];
    said = [];
    vi.stubGlobal("WebSocket", FakeSocket);
    vi.stubGlobal("location", { protocol: "http:", host: "here" });
    vi.stubGlobal("requestAnimationFrame", (run: () => void) => setTimeout(run, 16));
    const handlers: Handlers = {
      changed: () => said.push("changed"),
      measured: (revision, fits) => said.push(`measured ${revision}: ${fits.length}`),
      ready: (revision) => said.push(`ready ${revision}`),
      job: (job) => said.push(`job ${job.key}`),
      cast: () => said.push("cast"),
      prop: (key) => said.push(`prop ${key}`),
      frame: (job, poses) => said.push(`frame ${job.slice(0, 2)} ${poses[0]}`),
      underWay: vi.fn(),
      presence: () => undefined,
      notHeld: (by) => said.push(`held by ${by}`),
      state: (state) => said.push(state),
      refused: (words) => said.push(words),
    };
    line = new LiveLine("set", handlers);
    return () => {
      line.close();
      vi.unstubAllGlobals();
      vi.useRealTimers();
    };
  });

  it("asks one question at a time, and of those that wait only the newest", async () => {
    ready();
    const first = line.ask(question("a"));
    const second = line.ask(question("b"));
    void line.ask(question("c"));
    expect(await second).toBeNull();
    expect(props()).toEqual(["a"]);
    socket().hear(pointed(1));
    expect((await first)?.on).toBe("floor");
    expect(props()).toEqual(["a", "c"]);
    socket().hear(pointed(1));
    expect(said).not.toContain("refused");
    expect(socket().sent.at(-1)).toMatchObject({ kind: "point", n: 2 });
  });

  it("a press is answered in its turn, whatever is pointed at meanwhile", async () => {
    ready();
    void line.ask(question("ghost"));
    const presses = [line.askForPress(question("p1")), line.askForPress(question("p2"))];
    void line.ask(question("ghost again"));
    for (const n of [1, 2, 3]) socket().hear(pointed(n));
    expect((await Promise.all(presses)).every((p) => p !== null)).toBe(true);
    expect(props()).toEqual(["ghost", "p1", "p2", "ghost again"]);
  });

  it("a press while the line is away says so at once, and nothing is dead after it", async () => {
    expect(await line.askForPress(question("early"))).toBeNull();
    ready();
    const asked = line.askForPress(question("lost"));
    socket().lose();
    expect(await asked).toBeNull();
    expect(await line.askForPress(question("away"))).toBeNull();
    vi.advanceTimersByTime(400);
    ready();
    const again = line.askForPress(question("back"));
    socket().hear(pointed(socket().sent[0]!.n as number));
    expect(await again).not.toBeNull();
  });

  it("what the pointer asked is asked again when the line is back", async () => {
    ready();
    const asked = line.ask(question("a"));
    socket().lose();
    vi.advanceTimersByTime(400);
    expect(FakeSocket.all).toHaveLength(2);
    expect(socket().sent, "not before the server is ready").toEqual([]);
    ready();
    expect(props()).toEqual(["a"]);
    socket().hear(pointed(socket().sent[0]!.n as number));
    expect(((await asked) as Pointed).on).toBe("floor");
  });

  it("a refusal answers its question; one of a late question does not", async () => {
    ready();
    const asked = line.ask(question("a"));
    socket().hear({ kind: "refused", n: 7, error: "late", ties: [] });
    socket().hear({ kind: "refused", n: 1, error: "no such prop", ties: [] });
    expect(await asked).toBeNull();
    expect(said).toContain("no such prop");
    expect(said).not.toContain("late");
  });

  it.each([
    [4404, "ended"],
    [4429, "crowded"],
  ])("does not come back to a set that was closed with %i", (code, state) => {
    ready();
    socket().lose(code);
    vi.advanceTimersByTime(60_000);
    expect(said.at(-1)).toBe(state);
    expect(FakeSocket.all).toHaveLength(1);
  });

  it("waits for whoever signs in again, says so once, and goes on", () => {
    const ended = vi.fn();
    const off = onSessionEnd(ended);
    ready();
    socket().lose(4401);
    vi.advanceTimersByTime(60_000);
    expect(said.at(-1)).toBe("lost");
    expect([ended.mock.calls.length, FakeSocket.all.length]).toEqual([1, 1]);
    sessionGoesOn();
    expect(FakeSocket.all).toHaveLength(2);
    ready();
    expect(said).toContain("joined");
    off();
  });

  it("hears how deep pieces are", () => {
    ready();
    socket().hear({ kind: "measured", revision: 3, fits: [fit("jar", { depth: 0.03 }), fit("mug")] });
    expect(said).toContain("measured 3: 2");
  });

  it("comes back after it fell behind", () => {
    ready();
    socket().lose(4408);
    vi.advanceTimersByTime(400);
    expect(FakeSocket.all).toHaveLength(2);
  });

  it("a frame says of which job it is; of several in one picture the newest is drawn, and each is told as drawn", () => {
    ready();
    const frame = (job: number, x: number) => {
      const data = new ArrayBuffer(16 + 28);
      new Uint8Array(data, 0, 16).fill(job);
      new Float32Array(data, 16)[0] = x;
      return data;
    };
    expect(readFrame(frame(0x0a, 2))).toMatchObject({ job: "0a".repeat(16) });
    socket().onmessage({ data: frame(0x0a, 1), timeStamp: 0 });
    socket().onmessage({ data: frame(0x0a, 2), timeStamp: 0 });
    vi.advanceTimersByTime(20);
    expect(said.filter((s) => s.startsWith("frame"))).toEqual(["frame 0a 2"]);
    expect(socket().sent).toEqual([
      { kind: "drawn", job: "0a".repeat(16) },
      { kind: "drawn", job: "0a".repeat(16) },
    ]);
  });
});
