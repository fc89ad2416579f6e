// Facets near a place that cross, or that lie on each other.
import { facing } from "./adjacency";
import type { Geometry } from "./geometry";
import type { Place } from "./scene";
import { cross, dot, minus } from "./vector";

/** Facets that are tried against each other at most. */
const MOST = 400;

type Triangle = [Place, Place, Place];

const along = (a: Place, b: Place, t: number): Place => [0, 1, 2].map((k) => a[k] + t * (b[k] - a[k])) as Place;

/** Where the side from `a` to `b` goes through a triangle, if it does. */
function through(a: Place, b: Place, t: Triangle): Place | null {
  const n = cross(minus(t[1], t[0]), minus(t[2], t[0]));
  const [da, db] = [dot(n, minus(a, t[0])), dot(n, minus(b, t[0]))];
  if (da === db || da * db > 0) return null;
  const p = along(a, b, da / (da - db));
  const inside = [0, 1, 2].every((k) => {
    const [c, d] = [t[k], t[(k + 1) % 3]];
    return dot(n, cross(minus(d, c), minus(p, c))) >= -1e-9 * dot(n, n);
  });
  return inside ? p : null;
}

/** The piece of line that two triangles have in common, if they cross. */
export function crossing(s: Triangle, t: Triangle): [Place, Place] | null {
  const found: Place[] = [];
  for (const [one, other] of [
    [s, t],
    [t, s],
  ])
    // prettier-ignore
    for (let k = 0; k < 3; k++) {
      const p = through(one[k], one[(k + 1) % 3], other as Triangle);
      if (p) found.push(p);
    }
  let best: [Place, Place] | null = null;
  let longest = 1e-9 * Math.hypot(...minus(s[0], s[1]));
  for (const a of found)
    for (const b of found) {
      const length = Math.hypot(...minus(a, b));
      if (length > longest) [best, longest] = [[a, b], length];
    }
  return best;
}

/** Whether two triangles lie in one plane, within `tolerance`, and cover some of it both. */
export function covers(s: Triangle, t: Triangle, tolerance: number): boolean {
  const n = cross(minus(s[1], s[0]), minus(s[2], s[0]));
  const length = Math.hypot(...n);
  if (length === 0 || t.some((p) => Math.abs(dot(n, minus(p, s[0]))) > tolerance * length)) return false;
  // No side of either separates them.
  const separates = (one: Triangle, other: Triangle) =>
    [0, 1, 2].some((k) => {
      const side = cross(n, minus(one[(k + 1) % 3], one[k]));
      const own = dot(side, minus(one[(k + 2) % 3], one[k]));
      const slack = 1e-6 * Math.abs(own);
      return other.every((p) => dot(side, minus(p, one[k])) * Math.sign(own) <= slack);
    });
  return !separates(s, t) && !separates(t, s);
}

/** What meets near a place: facets, and pieces of the lines along which they cross. */
export interface Meeting {
  facets: Uint32Array;
  segments: [Place, Place][];
}

/** Facets that reach into a ball, up to a number. */
export function near(g: Geometry, at: Place, radius: number): number[] {
  const out: number[] = [];
  for (let f = 0; f < g.facets.length / 3 && out.length < MOST; f++) {
    const box = [0, 1, 2].map((k) => {
      const x = [0, 1, 2].map((c) => g.points[3 * g.facets[3 * f + c] + k] - at[k]);
      return Math.max(0, Math.min(...x), -Math.max(...x));
    });
    if (Math.hypot(...box) <= radius) out.push(f);
  }
  return out;
}

export function corners(g: Geometry, f: number): Triangle {
  return [0, 1, 2].map((k) => {
    const p = g.facets[3 * f + k] * 3;
    return [...g.points.subarray(p, p + 3)] as Place;
  }) as Triangle;
}

/** What crosses, or lies on each other, in a ball. */
export function meeting(g: Geometry, at: Place, radius: number, what: "cross" | "cover"): Meeting {
  const tried = near(g, at, radius);
  const size = Math.hypot(...[0, 1, 2].map((k) => g.max[k] - g.min[k]));
  const triangles = tried.map((f) => corners(g, f));
  const meets = new Set<number>();
  const segments: [Place, Place][] = [];
  for (let i = 0; i < tried.length; i++)
    for (let j = 0; j < i; j++) {
      const shared = [0, 1, 2].filter((k) => g.facets.subarray(3 * tried[j], 3 * tried[j] + 3).includes(g.facets[3 * tried[i] + k])).length; // prettier-ignore
      if (what === "cross" && shared < 2) {
        const piece = crossing(triangles[i], triangles[j]);
        // Two facets at one point have that point in common, which is no crossing.
        if (piece) segments.push(piece);
        if (piece) [tried[i], tried[j]].forEach((f) => meets.add(f));
      }
      if (what === "cover" && covers(triangles[i], triangles[j], 1e-5 * size))
        [tried[i], tried[j]].forEach((f) => meets.add(f));
    }
  return { facets: Uint32Array.from(meets), segments };
}

/** Facets of a ball that lie in it whole: what a finding about their shape is about. */
export function within(g: Geometry, at: Place, radius: number): Uint32Array {
  const inside = (p: Place) => Math.hypot(...minus(p, at)) <= radius;
  return Uint32Array.from(
    near(g, at, radius).filter((f) => Math.hypot(...facing(g, f)) >= 0 && corners(g, f).every(inside)),
  );
}
