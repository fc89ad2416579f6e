// The corner or edge of a facet that a click was meant for.
import { Line3, Vector3 } from "three";
import type { Place } from "../scene";
import type { Hit } from "../view";

/** Pixels within which a corner, or an edge, attracts. */
const CORNER = 10;
const EDGE = 6;

export interface Snapped {
  at: Place;
  to: "corner" | "edge" | "surface";
}

/** Where a click at a hit was meant, given where places are on the screen. */
export function snapped(hit: Hit, screen: (at: Place) => [number, number]): Snapped {
  const [x, y] = screen(hit.at);
  const off = (p: Place) => Math.hypot(screen(p)[0] - x, screen(p)[1] - y);
  const nearest = (places: Place[]) => places.reduce((best, p) => (off(p) < off(best) ? p : best));
  const corner = nearest(hit.corners);
  if (off(corner) <= CORNER) return { at: corner, to: "corner" };
  const on = hit.corners.map((a, k) => {
    const line = new Line3(new Vector3(...a), new Vector3(...hit.corners[(k + 1) % 3]));
    return line.closestPointToPoint(new Vector3(...hit.at), true, new Vector3()).toArray() as Place;
  });
  const edge = nearest(on);
  return off(edge) <= EDGE ? { at: edge, to: "edge" } : { at: hit.at, to: "surface" };
}
