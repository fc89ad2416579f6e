// How handles look: bars divided like a scale, arcs with ticks like a compass card, a grip with the axis at each.
import type { Vector3 } from "three";
import { ARC, type Axes, BAR, type Grip, grips, onArc, placeOf } from "./handles";
import type { Place } from "./scene";
import type { Bench } from "./tools/tool";

const INK = "var(--color-ink)";
const SHEET = "var(--color-sheet)";
const MET = "var(--color-met)";
/** Fields of a bar. */
const FIELDS = 4;
/** Ticks of an arc. */
const TICKS = 6;

/** Draws handles that stand at a place, the one that is dragged in colour, and the way to the nearest body. `names`: a letter an axis. */
export function drawHandles(
  { overlay, view }: Bench,
  at: Vector3,
  axes: Axes,
  dragged: Grip | null,
  near: { line: [Place, Place]; text: string } | null,
  names: string,
): void {
  const pixel = view.pixel();
  const screen = (p: Vector3) => view.screen(p.toArray() as Place);
  const point = (p: Vector3) => screen(p).map((x) => x.toFixed(1)).join(" "); // prettier-ignore
  if (near) {
    const [[x1, y1], [x2, y2]] = near.line.map((p) => view.screen(p));
    overlay.add("path", { d: `M${x1} ${y1}L${x2} ${y2}`, stroke: MET, "stroke-width": 2, fill: "none" });
    overlay.text((x1 + x2) / 2 + 8, (y1 + y2) / 2, near.text, { "font-weight": 700, fill: MET });
  }
  for (const grip of grips(axes, view.gaze())) {
    const isDragged = dragged?.kind === grip.kind && dragged.axis === grip.axis;
    const colour = isDragged ? MET : INK;
    const [x, y] = screen(placeOf(grip, at, axes, pixel));
    if (grip.kind === "bar") {
      for (let i = 0; i < FIELDS; i++) {
        const [a, b] = [i, i + 1].map((k) => at.clone().addScaledVector(axes[grip.axis], ((k * BAR) / FIELDS) * pixel));
        const line = { d: `M${point(a)}L${point(b)}`, fill: "none" };
        overlay.add("path", { ...line, stroke: colour, "stroke-width": 5 });
        if (i % 2) overlay.add("path", { ...line, stroke: SHEET, "stroke-width": 3 });
      }
      overlay.add("rect", { x: x - 9, y: y - 9, width: 18, height: 18, fill: isDragged ? MET : SHEET, stroke: colour, class: "grip" }); // prettier-ignore
    } else {
      const reach = (p: Vector3, r: number) => at.clone().addScaledVector(p, r * pixel);
      const parts = Array.from({ length: 25 }, (_, i) => onArc(axes, grip.axis, i / 24));
      const way = parts.map((p) => point(reach(p, ARC))).join("L");
      overlay.add("path", { d: `M${way}`, stroke: colour, "stroke-width": 1.5, fill: "none" });
      const ticks = Array.from({ length: TICKS + 1 }, (_, i) => onArc(axes, grip.axis, i / TICKS));
      const marks = ticks.map((p) => `M${point(reach(p, ARC - 4))}L${point(reach(p, ARC + 4))}`).join("");
      overlay.add("path", { d: marks, stroke: colour, fill: "none" });
      overlay.add("circle", { cx: x, cy: y, r: 9, fill: isDragged ? MET : SHEET, stroke: colour, class: "grip" });
    }
    const label = { "text-anchor": "middle", "font-weight": 700, "font-size": 11, fill: isDragged ? SHEET : INK };
    overlay.text(x, y + 4, names[grip.axis] + (grip.kind === "bar" ? "" : "°"), label);
  }
  const [x, y] = screen(at);
  overlay.add("circle", { cx: x, cy: y, r: 4, fill: SHEET, stroke: INK, "stroke-width": 1.6 });
}
