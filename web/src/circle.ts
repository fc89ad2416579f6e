// Circles: through three places, and of the edge that was clicked.
import type { Geometry } from "./geometry";
import type { Place } from "./scene";
import { dot, minus } from "./vector";

export interface Circle {
  centre: Place;
  radius: number;
}

/** The circle through three places; nothing if they lie on a line. */
export function circleThrough(a: Place, b: Place, c: Place): Circle | null {
  const [u, v] = [minus(b, a), minus(c, a)];
  const [uu, vv, uv] = [dot(u, u), dot(v, v), dot(u, v)];
  const spread = uu * vv - uv * uv;
  if (spread <= 1e-18 * uu * vv) return null;
  const s = (vv * (uu - uv)) / (2 * spread);
  const t = (uu * (vv - uv)) / (2 * spread);
  const off = [0, 1, 2].map((k) => s * u[k] + t * v[k]) as Place;
  return { centre: [a[0] + off[0], a[1] + off[1], a[2] + off[2]], radius: Math.hypot(...off) };
}

/** How far places may be off their circle, as a part of its radius. */
const ROUND = 0.01;
/** Fewer corners make no circle. */
const FEWEST = 5;

/** The drawn edges that go on from one, without a branch, as places along them. */
export function edgeAlong(g: Geometry, segment: number): Place[] {
  const at = new Map<number, number[]>();
  for (let i = 0; i < g.outlines.length; i++) at.set(g.outlines[i], [...(at.get(g.outlines[i]) ?? []), i >> 1]);
  const follow = (from: number): number[] => {
    const out: number[] = [];
    let [edge, point] = [segment, from];
    for (let n = 0; n < g.outlines.length; n++) {
      const on = at.get(point) ?? [];
      out.push(point);
      if (on.length !== 2) break;
      edge = on[0] === edge ? on[1] : on[0];
      if (edge === segment) break;
      point = g.outlines[2 * edge] === point ? g.outlines[2 * edge + 1] : g.outlines[2 * edge];
    }
    return out;
  };
  const ahead = follow(g.outlines[2 * segment + 1]);
  const closed = ahead.at(-1) === g.outlines[2 * segment];
  const all = closed ? ahead : [...follow(g.outlines[2 * segment]).reverse(), ...ahead];
  return all.map((p) => [...g.points.subarray(3 * p, 3 * p + 3)] as Place);
}

/** The circle that places along an edge lie on, if they do. */
export function circleAlong(places: Place[]): Circle | null {
  if (places.length < FEWEST) return null;
  const n = places.length;
  const circle = circleThrough(places[0], places[Math.floor(n / 3)], places[Math.floor((2 * n) / 3)]);
  if (!circle) return null;
  const off = places.map((p) => Math.abs(Math.hypot(...minus(p, circle.centre)) - circle.radius));
  return Math.max(...off) <= ROUND * circle.radius ? circle : null;
}

/** The drawn edge nearest to a place, within a distance. */
export function edgeNear(g: Geometry, at: Place, within: number): number | null {
  let best: number | null = null;
  let least = within;
  const point = (p: number): Place => [...g.points.subarray(3 * p, 3 * p + 3)] as Place;
  for (let s = 0; 2 * s < g.outlines.length; s++) {
    const [a, b] = [point(g.outlines[2 * s]), point(g.outlines[2 * s + 1])];
    const side = minus(b, a);
    const t = Math.max(0, Math.min(1, dot(minus(at, a), side) / (dot(side, side) || 1)));
    const off = Math.hypot(...[0, 1, 2].map((k) => a[k] + t * side[k] - at[k]));
    if (off <= least) [best, least] = [s, off];
  }
  return best;
}

/** The angle at `b` between the ways to `a` and `c`, in degrees. */
export function angleAt(a: Place, b: Place, c: Place): number {
  const [u, v] = [minus(a, b), minus(c, b)];
  const lengths = Math.hypot(...u) * Math.hypot(...v);
  return lengths > 0 ? (Math.acos(Math.max(-1, Math.min(1, dot(u, v) / lengths))) * 180) / Math.PI : 0;
}
