// The ways of a trial of the flow, drawn while its panel is open: light where slow, dark where fast.
import { BufferAttribute, BufferGeometry, Color, LineBasicMaterial, LineSegments } from "three";
import { clipped } from "./drawing";
import { notify } from "./requests";
import type { Place } from "./scene";
import type { View } from "./view";

interface Way {
  points: Place[];
  speeds: number[];
}

const SLOW = new Color(0x9fc7c4);
const FAST = new Color(0x0b2f4a);

/** Pieces of all ways as pairs of places, with a colour for each. */
export function pieces(ways: Way[]): { places: Float32Array; colours: Float32Array } {
  const fastest = Math.max(1e-12, ...ways.flatMap((w) => w.speeds));
  const count = ways.reduce((sum, w) => sum + Math.max(0, w.points.length - 1), 0);
  const [places, colours] = [new Float32Array(6 * count), new Float32Array(6 * count)];
  let at = 0;
  for (const { points, speeds } of ways)
    for (let i = 0; i + 1 < points.length; i++)
      for (const j of [i, i + 1]) {
        places.set(points[j], at);
        colours.set(new Color().lerpColors(SLOW, FAST, Math.sqrt(speeds[j] / fastest)).toArray(), at);
        at += 3;
      }
  return { places, colours };
}

function drawingOf(ways: Way[]): LineSegments {
  const { places, colours } = pieces(ways);
  const shape = new BufferGeometry();
  shape.setAttribute("position", new BufferAttribute(places, 3));
  shape.setAttribute("color", new BufferAttribute(colours, 3));
  const look = new LineBasicMaterial({ vertexColors: true, depthTest: false });
  const lines = new LineSegments(shape, clipped(look));
  lines.renderOrder = 1;
  return lines;
}

/** Where the page's ways come from; nothing while no trial is shown. */
let shown = "";

/** Keeps the ways in the view in step with the page. */
export async function showWays(view: View): Promise<void> {
  const wanted = document.querySelector<HTMLElement>("[data-ways]")?.dataset.ways ?? "";
  if (wanted === shown) return;
  shown = wanted;
  view.setWays(null);
  if (!wanted) return;
  const answer = await fetch(wanted);
  if (shown !== wanted) return;
  if (!answer.ok) return notify("The ways of this trial cannot be fetched.");
  view.setWays(drawingOf((await answer.json()) as Way[]));
}
