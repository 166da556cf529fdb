/** What is written over the stage and moves with every picture: labels of gaps, figures beside the pointer, the rectangle that is
 * swept. Drawn straight into the page, so that nothing else of it is drawn again. */

export interface Label {
  text: string;
  quiet?: boolean;
  /** Over it, so that a line is seen whole. */
  over?: boolean;
  x: number;
  y: number;
}

const LABEL =
  "figure pointer-events-none absolute left-0 top-0 rounded-sm border border-rule bg-card/95 px-1.5 text-[13px] font-semibold whitespace-nowrap before:absolute before:top-1/2 before:-left-3 before:h-px before:w-3 before:bg-current data-[over=true]:before:top-full data-[over=true]:before:left-1/2 data-[over=true]:before:h-3.5 data-[over=true]:before:w-px";
/** From what is labelled to a label beside it, and to one over it: each is joined to it by a short line. */
const [BESIDE_PX, OVER_PX] = [12, 14];
const FIGURES =
  "figure pointer-events-none absolute left-0 top-0 z-10 rounded-sm border border-ink bg-card/95 px-1.5 text-[13px] font-semibold whitespace-nowrap";
const SWEEP = "pointer-events-none absolute left-0 top-0 border border-clay bg-clay/10";

export class Beside {
  private readonly figuresBox = document.createElement("span");
  private readonly sweepBox = document.createElement("div");
  private readonly labelBoxes: HTMLSpanElement[] = [];

  constructor(private readonly host: HTMLElement) {
    this.figuresBox.className = FIGURES;
    this.figuresBox.dataset.testid = "puck-figures";
    this.sweepBox.className = SWEEP;
    this.figuresBox.hidden = this.sweepBox.hidden = true;
    host.append(this.sweepBox, this.figuresBox);
  }

  /** Figures beside the pointer; none when there are no words. */
  figures(at: { x: number; y: number }, words: string): void {
    this.figuresBox.hidden = words === "";
    this.figuresBox.textContent = words;
    this.figuresBox.style.transform = `translate(${at.x + 16}px, ${at.y + 14}px)`;
  }

  /** The rectangle that is swept over; null when none is. */
  sweep(box: { x: number; y: number; width: number; height: number } | null): void {
    this.sweepBox.hidden = box === null;
    if (!box) return;
    this.sweepBox.style.transform = `translate(${box.x}px, ${box.y}px)`;
    this.sweepBox.style.width = `${box.width}px`;
    this.sweepBox.style.height = `${box.height}px`;
  }

  nothing(): void {
    this.figures({ x: 0, y: 0 }, "");
    this.sweep(null);
  }

  /** Labels where they stand on the screen. */
  labels(labels: Label[]): void {
    while (this.labelBoxes.length < labels.length) {
      const box = document.createElement("span");
      box.className = LABEL;
      this.labelBoxes.push(box);
      this.host.append(box);
    }
    this.labelBoxes.forEach((box, i) => {
      const label = labels[i];
      box.hidden = !label;
      if (!label) return;
      if (box.textContent !== label.text) box.textContent = label.text;
      box.style.color = label.quiet ? "var(--color-ink)" : "var(--color-clay-deep)";
      box.dataset.over = String(label.over ?? false);
      const [x, y] = [Math.round(label.x), Math.round(label.y)];
      box.style.transform = label.over
        ? `translate(${x}px, ${y - OVER_PX}px) translate(-50%, -100%)`
        : `translate(${x + BESIDE_PX}px, ${y - 11}px)`;
    });
  }

  dispose(): void {
    [this.figuresBox, this.sweepBox, ...this.labelBoxes].forEach((box) => box.remove());
  }
}
