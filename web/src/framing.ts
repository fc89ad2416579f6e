// A frame as its trial moves it, and forces along its members: drawn over it while its panel asks for them.
import { BufferAttribute, BufferGeometry, Color, LineBasicMaterial, LineSegments } from "three";
import { clipped } from "./drawing";
import { notify } from "./requests";
import type { Place } from "./scene";
import type { View } from "./view";

export interface Line {
  points: Place[];
  moves: Place[];
  values: number[];
}

interface Drawing {
  lines: Line[];
  swings: boolean;
  told: string;
  factor: number;
}

const LOW = new Color(0x9fc7c4);
const HIGH = new Color(0x7a2e6e);
/** Milliseconds to and fro. */
const SWING = 2600;

/** Pieces of all lines where they are when moved by `part` of the largest; with ribs also from each place to where it goes. */
export function pieces(lines: Line[], part: number, ribs: boolean): Float32Array {
  const moved = ({ points, moves }: Line, i: number): Place =>
    [0, 1, 2].map((k) => points[i][k] + part * moves[i][k]) as Place;
  const out: number[] = [];
  for (const line of lines)
    for (let i = 0; i < line.points.length; i++) {
      if (i > 0) out.push(...moved(line, i - 1), ...moved(line, i));
      if (ribs) out.push(...line.points[i], ...moved(line, i));
    }
  return new Float32Array(out);
}

function colours(lines: Line[], ribs: boolean): Float32Array {
  const most = Math.max(1e-12, ...lines.flatMap((l) => l.values.map(Math.abs)));
  const at = (v: number) => new Color().lerpColors(LOW, HIGH, Math.abs(v) / most).toArray();
  const out: number[] = [];
  for (const { values } of lines)
    values.forEach((v, i) => {
      if (i > 0) out.push(...at(values[i - 1]), ...at(v));
      if (ribs) out.push(...at(v), ...at(v));
    });
  return new Float32Array(out);
}

let asked = "";
let frame = 0;

function draw(view: View, { lines, swings }: Drawing): void {
  const shape = new BufferGeometry();
  shape.setAttribute("position", new BufferAttribute(pieces(lines, 1, !swings), 3));
  shape.setAttribute("color", new BufferAttribute(colours(lines, !swings), 3));
  const look = clipped(new LineBasicMaterial({ vertexColors: true, depthTest: false }));
  view.setWays(new LineSegments(shape, look));
  // Who asks their system for less motion sees the largest movement.
  if (!swings || matchMedia("(prefers-reduced-motion: reduce)").matches) return;
  const begun = performance.now();
  const tick = (now: number) => {
    shape.setAttribute(
      "position",
      new BufferAttribute(pieces(lines, Math.sin(((now - begun) / SWING) * 2 * Math.PI), false), 3),
    );
    view.redraw();
    frame = requestAnimationFrame(tick);
  };
  frame = requestAnimationFrame(tick);
}

/** Keeps what is drawn of a frame in step with the fields of its panel; nothing is while none is asked for. */
export async function showFrame(view: View): Promise<void> {
  const form = document.querySelector<HTMLFormElement>("[data-frame-drawing]");
  const field = (name: string) => form?.querySelector<HTMLSelectElement>(`[name=${name}]`)?.value ?? "";
  const what = field("what");
  const wanted = what ? `${form!.dataset.frameDrawing}?${new URLSearchParams({ what, case: field("case") })}` : "";
  if (wanted === asked) return;
  const before = asked;
  asked = wanted;
  cancelAnimationFrame(frame);
  if (before) view.setWays(null);
  const told = form?.querySelector("output");
  if (told) told.textContent = "";
  if (!wanted) return;
  const answer = await fetch(wanted);
  if (asked !== wanted) return;
  if (!answer.ok) return notify(await answer.text());
  const drawing = (await answer.json()) as Drawing;
  const factor = drawing.factor > 0 ? `, drawn ${Number(drawing.factor.toPrecision(2))} times as large` : "";
  if (told) told.textContent = drawing.told + factor;
  draw(view, drawing);
}
