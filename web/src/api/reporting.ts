/** What goes wrong on the page is told to the server's log, with its time: whoever runs it finds out without being asked. */
import { client } from "./client";

/** Of one page: what fails again and again says nothing new. */
const MOST = 20;
const LONGEST = { words: 500, stack: 4000, where: 300 };
let reported = 0;
/** What a browser says of a layout that took another frame. Nothing failed. */
const ANOTHER_FRAME = "ResizeObserver loop";

export function report(problem: unknown): void {
  if (reported >= MOST) return;
  reported += 1;
  const error = problem instanceof Error ? problem : new Error(String(problem));
  const body = {
    words: error.message.slice(0, LONGEST.words),
    stack: (error.stack ?? "").slice(0, LONGEST.stack),
    where: location.pathname.slice(0, LONGEST.where),
    at: new Date().toISOString(),
  };
  // A server that cannot be reached hears of nothing.
  client.POST("/api/page-errors", { body }).catch(() => undefined);
}

/** Report what nobody catches, until the page is left. */
export function reportUncaught(): void {
  window.addEventListener("error", ({ error, message }) => {
    if (!message.startsWith(ANOTHER_FRAME)) report(error ?? message);
  });
  window.addEventListener("unhandledrejection", ({ reason }) => report(reason));
}
