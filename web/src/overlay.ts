// What is drawn over the body: flags of boundaries, the visited finding, the measured distance, the scale
// bar and the axes dial.
import { Vector3 } from "three";
import type { Anchor } from "./anchors";
import type { Circle } from "./circle";
import { isCutAway } from "./cut";
import { PALETTE } from "./drawing";
import { type Shown, shownIn } from "./lengths";
import { letter, type Finding, type Place, type Scene, short } from "./scene";
import type { View } from "./view";

const NS = "http://www.w3.org/2000/svg";
const INK = "var(--color-ink)";

type Attributes = Record<string, string | number>;

/** Flags are 22 high; so far apart they do not touch. */
const FLAG_STEP = 25;

/** Kinds of findings whose figure is not called what people call it. */
const TITLES: Record<string, string> = {
  self_intersections: "crossing facets",
  coplanar_overlaps: "overlapping facets",
  doubles: "there twice",
  touching: "touching shells",
  lost_shells: "lost inside",
  inside_out_shells: "inside out",
  folds: "folded back",
  handles: "tunnel",
  isolated_points: "lone point",
};

/** The upper left corner of a flag, and how wide it is. */
interface Flag {
  x: number;
  y: number;
  wide: number;
}

/** The height nearest to where a flag wishes to stand at which it covers none that stand already, if there is one. */
function freeHeight(flag: Flag, taken: Flag[], lowest: number, highest: number): number {
  const beside = taken.filter((t) => t.x < flag.x + flag.wide + 4 && flag.x < t.x + t.wide + 4);
  const isFree = (y: number): boolean =>
    y >= lowest && y <= highest && beside.every((t) => Math.abs(t.y - y) >= FLAG_STEP);
  const heights = [flag.y, ...beside.flatMap((t) => [t.y - FLAG_STEP, t.y + FLAG_STEP])].filter(isFree);
  const off = (y: number): number => Math.abs(y - flag.y);
  return heights.reduce((best, y) => (off(y) < off(best) ? y : best), heights[0] ?? flag.y);
}

export class Overlay {
  readonly svg: SVGSVGElement;
  finding: Finding | null = null;
  measured: Place[] = [];
  circle: Circle | null = null;
  /** What a preview changes, in words. */
  changes = "";
  compared: number | null = null;
  /** What the tool that has the clicks draws. */
  more: (() => void) | null = null;

  constructor(frame: HTMLElement) {
    this.svg = document.createElementNS(NS, "svg");
    this.svg.setAttribute("class", "overlay");
    frame.append(this.svg);
  }

  add(tag: string, attributes: Attributes, text?: string): SVGElement {
    const element = document.createElementNS(NS, tag);
    for (const [k, v] of Object.entries(attributes)) element.setAttribute(k, String(v));
    if (text !== undefined) element.textContent = text;
    this.svg.append(element);
    return element;
  }

  text(x: number, y: number, text: string, more: Attributes = {}): void {
    this.add("text", { x, y, fill: INK, "font-size": 12, "font-family": "Archivo", ...more }, text);
  }

  draw(view: View, scene: Scene, anchors: Anchor[]): void {
    this.svg.replaceChildren();
    const { clientWidth: width, clientHeight: height } = view.frame;
    const taken: Flag[] = [];
    const unit = shownIn(scene.unit);
    // Flags would stay where the body was.
    if (!this.more)
      scene.boundaries.slice(0, 14).forEach((b, i) => {
        const anchor = anchors[i] ?? { at: b.at, seen: true };
        if (!isCutAway(anchor.at)) this.flag(view, b, anchor, i, width, height, taken);
      });
    if (this.finding) this.callout(view, this.finding, unit);
    this.measure(view, unit);
    this.more?.();
    this.scaleBar(view, unit, height);
    this.dial(view, width, height);
    if (this.changes) this.text(18, height - 48, this.changes, { "font-weight": 600 });
    if (this.compared !== null) {
      const x = Math.round(width * this.compared);
      this.add("path", { d: `M${x} 0V${height}`, stroke: INK });
      this.text(x - 8, height - 56, "as received", { "text-anchor": "end" });
      this.text(x + 8, height - 56, "now");
    }
  }

  private flag(
    view: View,
    { name, colour }: { name: string; colour: number },
    anchor: Anchor,
    i: number,
    width: number,
    height: number,
    taken: Flag[],
  ): void {
    const [x, y] = view.screen(anchor.at);
    const [dx, dy] = [x - width / 2, y - height / 2];
    const length = Math.hypot(dx, dy) || 1;
    const label = `${letter(i)}  ${name}`;
    const wide = 18 + label.length * 6.6;
    const lx = Math.min(width - wide - 8, Math.max(8, x + (dx / length) * 84 - (dx < 0 ? wide : 0)));
    const wished = Math.min(height - 66, Math.max(86, y + (dy / length) * 60));
    const ly = freeHeight({ x: lx, y: wished, wide }, taken, 86, height - 66);
    taken.push({ x: lx, y: ly, wide });
    const fill = `#${PALETTE[colour % PALETTE.length].toString(16)}`;
    // What is behind something else is named, and does not seem to be in front of it.
    const faint: Attributes = anchor.seen ? {} : { opacity: 0.45, "stroke-dasharray": "2 3" };
    const line = { d: `M${x} ${y}L${dx < 0 ? lx + wide : lx} ${ly + 11}`, stroke: INK, fill: "none" };
    this.add("path", { ...line, ...faint });
    if (anchor.seen) this.add("circle", { cx: x, cy: y, r: 2.2, fill: INK, class: "anchor" });
    this.add("rect", { x: lx, y: ly, width: wide, height: 22, fill, stroke: INK, ...faint });
    this.text(lx + 9, ly + 15, label, { "font-weight": 650, fill: "#0B1116", "xml:space": "preserve", ...faint });
  }

  private callout(view: View, f: Finding, { symbol, factor }: Shown): void {
    const [x, y] = view.screen(f.at);
    const radius = Math.max(9, Math.min(90, f.radius / view.pixel()));
    this.add("circle", {
      cx: x,
      cy: y,
      r: radius,
      fill: "none",
      stroke: "var(--color-plum)",
      "stroke-width": 1.4,
      "stroke-dasharray": "2 3",
    });
    this.add("circle", { cx: x, cy: y, r: 3.5, fill: "var(--color-plum)" });
    const wide = Math.max(120, f.text.length * 6.3 + 20);
    const beside = x > view.frame.clientWidth / 2 ? x - wide - radius - 20 : x + radius + 20;
    // Long texts stay within the frame.
    const left = Math.max(8, Math.min(beside, view.frame.clientWidth - wide - 8));
    this.add("path", { d: `M${x} ${y}L${left > x ? left : left + wide} ${y + 63}`, stroke: INK });
    this.add("rect", {
      x: left,
      y: y + 44,
      width: wide,
      height: 40,
      fill: "var(--color-sheet)",
      stroke: "var(--color-plum)",
    });
    const title = TITLES[f.kind] ?? f.kind.replaceAll("_", " ");
    this.text(left + 10, y + 60, title, { "font-weight": 650 });
    const place = f.at.map((v) => short(v * factor)).join("  ");
    this.text(left + 10, y + 76, f.text.length > 4 ? f.text : `${place} ${symbol}`, {
      fill: "var(--color-ink2)",
      "font-size": 11.5,
    });
  }

  private measure(view: View, { symbol, factor }: Shown): void {
    const ends = this.measured.map((p) => view.screen(p));
    ends.forEach(([cx, cy]) => this.add("circle", { cx, cy, r: 4, fill: "var(--color-met)" }));
    if (this.circle) {
      const [cx, cy] = view.screen(this.circle.centre);
      this.add("path", {
        d: `M${cx - 7} ${cy}H${cx + 7}M${cx} ${cy - 7}V${cy + 7}`,
        stroke: "var(--color-met)",
        "stroke-width": 1.6,
      });
    }
    if (ends.length < 2) return;
    const way = ends.map(([x, y]) => `${x} ${y}`).join("L");
    this.add("path", { d: `M${way}`, stroke: "var(--color-met)", "stroke-width": 1.6, fill: "none" });
    if (ends.length > 2 || this.circle) return;
    const [[x1, y1], [x2, y2]] = ends;
    const text = `${short(distance(this.measured) * factor)} ${symbol}`;
    const [x, y] = [(x1 + x2) / 2, (y1 + y2) / 2];
    this.add("rect", {
      x: x - 4,
      y: y - 13,
      width: text.length * 7.2 + 10,
      height: 20,
      fill: "var(--color-sheet)",
      stroke: "var(--color-met)",
    });
    this.text(x + 2, y + 1, text, { "font-family": "Spline Sans Mono", "font-weight": 600 });
  }

  /** A chart's scale bar: four alternating fields of a round length. */
  private scaleBar(view: View, { symbol, factor }: Shown, height: number): void {
    const wanted = 44 * view.pixel() * factor;
    const power = 10 ** Math.floor(Math.log10(wanted));
    const field = [1, 2, 2.5, 5, 10].map((k) => k * power).find((f) => f >= wanted) ?? wanted;
    const w = field / factor / view.pixel();
    const [x0, y0] = [18, height - 22];
    for (let i = 0; i < 4; i++)
      this.add("rect", {
        x: x0 + i * w,
        y: y0,
        width: w,
        height: 6,
        fill: i % 2 ? "var(--color-sheet)" : INK,
        stroke: INK,
      });
    const mono = { "font-family": "Spline Sans Mono", "font-size": 10 };
    this.text(x0, y0 - 5, "0", mono);
    this.text(x0 + w, y0 - 5, short(field), { ...mono, "text-anchor": "middle" });
    this.text(x0 + 2 * w, y0 - 5, short(2 * field), { ...mono, "text-anchor": "middle" });
    this.text(x0 + 4 * w, y0 - 5, `${short(4 * field)} ${symbol}`, { ...mono, "text-anchor": "middle" });
  }

  /** The axes, like a compass card. */
  private dial(view: View, width: number, height: number): void {
    const [cx, cy] = [width - 50, height - 48];
    this.add("circle", { cx, cy, r: 34, fill: "var(--color-sheet)", stroke: INK });
    for (let i = 0; i < 24; i++) {
      const [s, c] = [Math.sin((i * Math.PI) / 12), Math.cos((i * Math.PI) / 12)];
      this.add("path", {
        d: `M${cx + 31 * s} ${cy + 31 * c}L${cx + 34 * s} ${cy + 34 * c}`,
        stroke: "var(--color-ink3)",
      });
    }
    (["x", "y", "z"] as const).forEach((name, k) => {
      const v = new Vector3().setComponent(k, 1).transformDirection(view.camera.matrixWorldInverse);
      const [x, y] = [cx + v.x * 20, cy - v.y * 20];
      this.add("path", {
        d: `M${cx} ${cy}L${x} ${y}`,
        stroke: INK,
        "stroke-width": 1.8,
        opacity: v.z < -0.2 ? 0.45 : 1,
      });
      this.text(cx + v.x * 27, cy - v.y * 27 + 3, name, {
        "text-anchor": "middle",
        "font-size": 10,
        "font-weight": 700,
      });
    });
  }
}

export function distance([a, b]: Place[]): number {
  return Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
}
