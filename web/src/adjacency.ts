// Which facets meet at edges, and what a click on one of them reaches.
import type { Geometry } from "./geometry";

/** The facet across each edge of each facet, three a facet; -1 where none is, or more than one. */
export function across(facets: Uint32Array): Int32Array {
  const edges = new Map<number, number>();
  const out = new Int32Array(facets.length).fill(-1);
  const MANY = -2;
  for (let i = 0; i < facets.length; i++) {
    const f = i - (i % 3);
    const [a, b] = [facets[i], facets[f + ((i + 1) % 3)]];
    const key = Math.min(a, b) * 2 ** 26 + Math.max(a, b);
    const other = edges.get(key);
    if (other === undefined) edges.set(key, i);
    else if (other !== MANY) {
      if (out[other] >= 0) {
        // A third facet: nothing is across such an edge.
        out[out[other] * 3 + edgeOf(facets, out[other], a, b)] = -1;
        out[other] = -1;
        edges.set(key, MANY);
      } else {
        out[other] = f / 3;
        out[i] = (other - (other % 3)) / 3;
      }
    }
  }
  return out;
}

function edgeOf(facets: Uint32Array, f: number, a: number, b: number): number {
  return [0, 1, 2].find((k) => {
    const [c, d] = [facets[3 * f + k], facets[3 * f + ((k + 1) % 3)]];
    return (c === a && d === b) || (c === b && d === a);
  })!;
}

/** The direction a facet faces; its length is twice the area. */
export function facing({ points, facets }: Pick<Geometry, "points" | "facets">, f: number): [number, number, number] {
  const [a, b, c] = [0, 1, 2].map((k) => facets[3 * f + k] * 3);
  const u = [0, 1, 2].map((k) => points[b + k] - points[a + k]);
  const v = [0, 1, 2].map((k) => points[c + k] - points[a + k]);
  return [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
}

/** The facets reached from one over edges at which they turn by at most `angle` degrees. */
export function region(g: Geometry, next: Int32Array, seed: number, angle: number): Uint32Array {
  const least = Math.cos((Math.min(angle, 180) * Math.PI) / 180) - 1e-9;
  const normal = (f: number) => {
    const n = facing(g, f);
    const length = Math.hypot(...n) || 1;
    return n.map((x) => x / length);
  };
  const reached = new Set([seed]);
  const open = [seed];
  for (let f = open.pop(); f !== undefined; f = open.pop()) {
    const n = normal(f);
    for (let k = 0; k < 3; k++) {
      const other = next[3 * f + k];
      if (other < 0 || reached.has(other)) continue;
      const m = normal(other);
      if (n[0] * m[0] + n[1] * m[1] + n[2] * m[2] < least) continue;
      reached.add(other);
      open.push(other);
    }
  }
  return Uint32Array.from(reached);
}

/** The middle of some facets' corners, and how far the farthest is from it. */
export function reachOf(g: Geometry, of: Iterable<number>): { at: [number, number, number]; radius: number } | null {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (const point of of)
    for (let k = 0; k < 3; k++) {
      min[k] = Math.min(min[k], g.points[3 * point + k]);
      max[k] = Math.max(max[k], g.points[3 * point + k]);
    }
  if (min[0] > max[0]) return null;
  const at = [0, 1, 2].map((k) => (min[k] + max[k]) / 2) as [number, number, number];
  return { at, radius: Math.hypot(...[0, 1, 2].map((k) => max[k] - min[k])) / 2 };
}

/** The points of all facets of a group. */
export function* pointsOf(g: Geometry, group: number): Iterable<number> {
  for (let f = 0; f < g.boundary.length; f++) if (g.boundary[f] === group) yield* g.facets.subarray(3 * f, 3 * f + 3);
}

/** The rims that open edges make, each as its points. */
export function rims(open: Uint32Array): number[][] {
  const root = new Map<number, number>();
  const find = (p: number): number => {
    let top = p;
    while (root.get(top) !== top) top = root.get(top)!;
    root.set(p, top);
    return top;
  };
  for (const p of open) if (!root.has(p)) root.set(p, p);
  for (let i = 0; i < open.length; i += 2) root.set(find(open[i]), find(open[i + 1]));
  const out = new Map<number, number[]>();
  for (const p of root.keys()) {
    const top = find(p);
    out.set(top, [...(out.get(top) ?? []), p]);
  }
  return [...out.values()];
}
