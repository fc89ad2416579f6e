// What a preview changes: facets that it adds, and facets of the body as it is that it takes away.
import type { Geometry } from "./geometry";

/** Places nearer than this part of the size are one: the server sends places in steps of the box. */
const ONE = 1e-5;

type Key = (g: Geometry, f: number) => [number, number, number];

/** The middle of a facet. */
const middle: Key = ({ points, facets }, f) => {
  const [a, b, c] = [0, 1, 2].map((k) => facets[3 * f + k] * 3);
  return [0, 1, 2].map((k) => (points[a + k] + points[b + k] + points[c + k]) / 3) as [number, number, number];
};

/** Facets of `g` of which the other body has none with the same middle. */
export function missing(g: Geometry, other: Geometry): Uint32Array {
  const tolerance = ONE * Math.max(1e-30, Math.hypot(...[0, 1, 2].map((k) => g.max[k] - g.min[k])));
  const cell = 4 * tolerance;
  const cells = new Map<string, [number, number, number][]>();
  for (let f = 0; f < other.facets.length / 3; f++) {
    const at = middle(other, f);
    const key = at.map((x) => Math.floor(x / cell)).join(",");
    const there = cells.get(key);
    if (there) there.push(at);
    else cells.set(key, [at]);
  }
  const isThere = (at: [number, number, number]) => {
    const low = at.map((x) => Math.floor((x - tolerance) / cell));
    const high = at.map((x) => Math.floor((x + tolerance) / cell));
    for (let i = low[0]; i <= high[0]; i++)
      for (let j = low[1]; j <= high[1]; j++)
        for (let k = low[2]; k <= high[2]; k++)
          for (const p of cells.get(`${i},${j},${k}`) ?? [])
            if (Math.hypot(p[0] - at[0], p[1] - at[1], p[2] - at[2]) <= tolerance) return true;
    return false;
  };
  const out: number[] = [];
  for (let f = 0; f < g.facets.length / 3; f++) if (!isThere(middle(g, f))) out.push(f);
  return Uint32Array.from(out);
}
