/** Every piece as one thin bar on a base line. Flat means everything sits. */
import { useDeferredValue, useEffect, useMemo, useRef, useState } from "react";

import { isFault } from "../fit/Glyph";
import { inWords } from "../fit/units";
import { useParts } from "../state";
import { loadOf } from "../state/mover";
import { type Bar, groupBars } from "./bars";

const HEIGHT = 92;
const BASE = 50;
const UP = 38;
const DOWN = 26;
/** Height of the bar of what tips over, and how far its head is aside. */
const TIPPY = 13;
const LEAN = 0.55 * TIPPY;
const GROUP_GAP = 26;
const EDGE = 14;
const INK = "#22303a";
const QUIET = "#5f6b72";
const CLAY = "#a9482a";

interface Slot {
  bar: Bar;
  x: number;
  width: number;
}

export function LevelLine({ onLook }: { onLook: (key: string) => void }) {
  const now = useParts("pieces", "fits");
  // The stage is drawn first; the bars of thousands follow it.
  const { pieces, fits } = useDeferredValue(now);
  const { selected, pointed, select, point } = useParts("selected", "pointed", "select", "point");
  const canvas = useRef<HTMLCanvasElement>(null);
  const behind = useRef<HTMLCanvasElement>(null);
  const host = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(800);
  const drag = useRef<{ x: number; moved: boolean } | null>(null);
  const groups = useMemo(() => groupBars(pieces, fits), [pieces, fits]);

  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    if (host.current) watcher.observe(host.current);
    return () => watcher.disconnect();
  }, []);

  const { slots, headings } = useMemo(() => {
    const slots: Slot[] = [];
    const headings: { name: string; x: number; width: number; room: number }[] = [];
    const count = groups.reduce((sum, g) => sum + g.bars.length, 0);
    const room = width - 2 * EDGE - GROUP_GAP * Math.max(0, groups.length - 1);
    // A group is as wide as its bars or its name; what the names of small groups take, the bars give.
    const names = groups.map((g) => (groups.length <= 10 ? Math.min(96, 7 * g.name.length) : 0));
    let step = Math.min(11, room / Math.max(1, count));
    for (let round = 0; round < 4; round += 1) {
      const wide = groups.reduce((sum, g, i) => sum + Math.max(g.bars.length * step, names[i]!), 0);
      if (wide > room) step *= Math.max(0.2, room / wide);
    }
    let x = EDGE;
    groups.forEach((group, i) => {
      const own = group.bars.length * step;
      const taken = Math.max(own, names[i]!);
      const left = x;
      headings.push({ name: group.name, x, width: own, room: taken + GROUP_GAP - 8 });
      group.bars.forEach((bar, k) => slots.push({ bar, x: left + k * step, width: step }));
      x += taken + GROUP_GAP;
    });
    return { slots, headings };
  }, [groups, width]);

  useEffect(() => {
    const ink = prepared(canvas.current, width);
    if (!ink) return;
    const hatch = hatching(ink);
    for (const { x, width: w } of headings) {
      ink.fillStyle = INK;
      ink.fillRect(x - 2, BASE, w + 2, 1.5);
    }
    // Faults are drawn last: with thousands of bars to a few pixels, the worst stays on top.
    for (const fault of [false, true]) {
      ink.fillStyle = fault ? hatch : QUIET;
      ink.strokeStyle = CLAY;
      ink.lineWidth = 1;
      for (const { bar, x, width: w } of slots)
        if (isFault(bar.state) === fault) drawBar(ink, bar, x, w, fault);
    }
    ink.font = '500 12px "Archivo Variable", sans-serif';
    ink.textBaseline = "alphabetic";
    for (const { name, x, room } of headings) {
      ink.fillStyle = QUIET;
      let text = name;
      while (text.length > 3 && ink.measureText(text).width > room) text = `${text.slice(0, -2).trimEnd()}…`;
      if (ink.measureText(text).width <= room) ink.fillText(text, x - 2, HEIGHT - 4);
    }
  }, [slots, headings, width]);

  // What is selected or pointed at is lit from behind, on a canvas of its own: the bars stay as they are.
  useEffect(() => {
    const ink = prepared(behind.current, width);
    if (!ink) return;
    const chosen = new Set(selected);
    for (const { bar, x, width: w } of slots) {
      if (!chosen.has(bar.key) && pointed !== bar.key) continue;
      ink.fillStyle = chosen.has(bar.key) ? "#e3d3b4" : "#efe6d3";
      ink.fillRect(x - 1, BASE - UP - 4, Math.max(w, 1) + 2, UP + DOWN + 8);
    }
  }, [slots, width, selected, pointed]);

  const slotAt = (clientX: number): Slot | undefined => {
    const left = canvas.current?.getBoundingClientRect().left ?? 0;
    const x = clientX - left;
    const near = slots.filter((s) => x >= s.x - 3 && x < s.x + s.width + 3);
    return near.sort(
      (a, b) =>
        Number(isFault(b.bar.state)) - Number(isFault(a.bar.state)) ||
        Math.abs(a.x + a.width / 2 - x) - Math.abs(b.x + b.width / 2 - x),
    )[0];
  };

  const faults = slots.filter((s) => isFault(s.bar.state));
  const told = pointed ?? (selected.length === 1 ? selected[0] : undefined);
  const fit = told ? now.fits.get(told) : undefined;
  const bearer = told && !fit ? now.pieces.get(told) : undefined;
  const step = (by: number) => {
    const now = slots.findIndex((s) => s.bar.key === selected[0]);
    const next = slots[(now + by + slots.length) % slots.length] ?? slots[0];
    if (next) select([next.bar.key]);
  };

  return (
    <div className="relative border-t border-rule bg-card" ref={host}>
      <canvas
        ref={behind}
        aria-hidden="true"
        className="absolute inset-0"
        style={{ width: "100%", height: HEIGHT }}
      />
      <canvas
        ref={canvas}
        className="relative"
        tabIndex={0}
        role="img"
        aria-label={`Level line: ${slots.length} pieces, ${faults.length} not right. ${fit ? `${now.pieces.get(fit.key)?.name}: ${fit.reason}` : "Left and right choose a piece, N the next fault."}`}
        style={{ width: "100%", height: HEIGHT, display: "block" }}
        onPointerDown={(e) => {
          drag.current = { x: e.clientX, moved: false };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          if (drag.current && Math.abs(e.clientX - drag.current.x) > 5) drag.current.moved = true;
          if (drag.current?.moved) {
            const left = canvas.current?.getBoundingClientRect().left ?? 0;
            const a = Math.min(drag.current.x, e.clientX) - left;
            const b = Math.max(drag.current.x, e.clientX) - left;
            select(slots.filter((s) => s.x + s.width > a && s.x < b).map((s) => s.bar.key));
          } else point(slotAt(e.clientX)?.bar.key ?? null);
        }}
        onPointerUp={(e) => {
          const moved = drag.current?.moved;
          drag.current = null;
          const slot = slotAt(e.clientX);
          if (moved || !slot) return;
          select([slot.bar.key]);
          onLook(slot.bar.key);
        }}
        onPointerLeave={() => point(null)}
        onKeyDown={(e) => {
          if (e.key === "ArrowRight" || e.key === "ArrowLeft") {
            e.preventDefault();
            e.stopPropagation();
            step(e.key === "ArrowRight" ? 1 : -1);
          } else if (e.key === "Enter" && selected[0]) {
            e.stopPropagation();
            onLook(selected[0]);
          }
        }}
      />
      <p
        className="figure pointer-events-none absolute top-1.5 right-3 max-w-[60%] truncate text-[13.5px]"
        aria-live="polite"
      >
        {fit ? (
          <>
            <strong>{now.pieces.get(fit.key)?.name}</strong>{" "}
            <span data-testid="measured-gap" className={isFault(fit.state) ? "text-clay-deep" : "text-quiet"}>
              {isFault(fit.state) ? fit.reason : `${inWords(fit.gap ?? 0)}, ${fit.reason}`}
            </span>
          </>
        ) : bearer ? (
          <>
            <strong>{bearer.name}</strong>{" "}
            <span className="text-quiet">a bearer, carries {loadOf(bearer.key).length}</span>
          </>
        ) : (
          <span className="text-quiet">
            {faults.length
              ? `${faults.length} of ${slots.length} do not sit`
              : slots.length
                ? "level: everything sits"
                : "nothing stands here yet"}
          </span>
        )}
      </p>
    </div>
  );
}

/** A cleared canvas of that width, in CSS pixels. */
function prepared(element: HTMLCanvasElement | null, width: number): CanvasRenderingContext2D | null {
  const ink = element?.getContext("2d") ?? null;
  if (!element || !ink) return null;
  const scale = window.devicePixelRatio || 1;
  const [w, h] = [Math.round(width * scale), Math.round(HEIGHT * scale)];
  if (element.width !== w) element.width = w;
  if (element.height !== h) element.height = h;
  ink.setTransform(scale, 0, 0, scale, 0, 0);
  ink.clearRect(0, 0, width, HEIGHT);
  return ink;
}

function hatching(ink: CanvasRenderingContext2D): CanvasPattern | string {
  const tile = document.createElement("canvas");
  tile.width = tile.height = 4;
  const on = tile.getContext("2d");
  if (!on) return CLAY;
  on.fillStyle = "#e8c9bb";
  on.fillRect(0, 0, 4, 4);
  on.strokeStyle = CLAY;
  on.lineWidth = 1.6;
  on.beginPath();
  for (const d of [-4, 0, 4]) {
    on.moveTo(d, 4);
    on.lineTo(d + 4, 0);
  }
  on.stroke();
  return ink.createPattern(tile, "repeat") ?? CLAY;
}

/** One bar, in the paint that is set: a set of thousands has no time to set it for each. */
function drawBar(ink: CanvasRenderingContext2D, bar: Bar, x: number, step: number, fault: boolean): void {
  const w = Math.max(1, step * 0.62);
  const left = x + (step - w) / 2;
  const rect = (y: number, h: number) => {
    ink.fillRect(left, BASE + y, w, h);
    if (fault) ink.strokeRect(left, BASE + y, w, h);
  };
  if (bar.slanted && bar.height === 0) {
    ink.beginPath();
    ink.moveTo(left + 3, BASE);
    ink.lineTo(left + 3 + w, BASE);
    ink.lineTo(left + 3 + w + LEAN, BASE - TIPPY);
    ink.lineTo(left + 3 + LEAN, BASE - TIPPY);
    ink.closePath();
    ink.fill();
    ink.stroke();
  } else if (bar.state === "unborne") {
    ink.setLineDash([2, 2]);
    ink.strokeRect(left, BASE - UP, w, UP - 5);
    ink.setLineDash([]);
  } else if (bar.height > 0) {
    const h = Math.max(4, bar.height * UP);
    rect(-h, h);
  } else if (bar.height < 0) {
    rect(2, Math.max(4, -bar.height * DOWN));
  } else {
    rect(-2.5, 2.5);
  }
}
