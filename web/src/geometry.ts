// The binary geometry of the server (see view.rs in hull-workshop) into arrays for drawing.

import { places } from "./kinds/kind";

const MAGIC = 0x31564852; // "RHV1"
export const UNNAMED = 0xffffffff;

export interface Geometry {
  points: Float32Array;
  /** Three point numbers a facet, in the server's order. */
  facets: Uint32Array;
  /** Boundary number of each facet, UNNAMED for none. */
  boundary: Uint32Array;
  open: Uint32Array;
  overshared: Uint32Array;
  misdirected: Uint32Array;
  outlines: Uint32Array;
  /** Geometry of other kinds: a tag of four letters, and words that the kind knows. */
  chunks: { tag: string; words: Uint32Array }[];
  min: [number, number, number];
  max: [number, number, number];
}

export function decode(buffer: ArrayBuffer): Geometry {
  const words = new Uint32Array(buffer);
  const floats = new Float32Array(buffer);
  if (words[0] !== MAGIC) throw new Error("The geometry that the server sent cannot be read.");
  const [points, facets, runs] = words.subarray(1, 4);
  // States stored while lines were no chunk have their segments here; they are passed over.
  const segments = [...words.subarray(4, 8), words[14]];
  const min = [...floats.subarray(8, 11)] as [number, number, number];
  const max = [...floats.subarray(11, 14)] as [number, number, number];
  let at = 16;
  const take = (n: number) => words.subarray(at, (at += n));
  const place = places(take(points * 2), { min, max });
  const corners = take(facets * 3);
  const boundary = new Uint32Array(facets);
  const table = take(runs * 2);
  for (let r = 0, f = 0; r < runs; r++) {
    boundary.fill(table[2 * r + 1], f, f + table[2 * r]);
    f += table[2 * r];
  }
  const [open, overshared, misdirected, outlines] = segments.map((n) => take(n * 2));
  const chunks = Array.from({ length: words[15] }, () => {
    const [tag, length] = take(2);
    const letters = [0, 8, 16, 24].map((bit) => String.fromCharCode((tag >>> bit) & 0xff));
    return { tag: letters.join(""), words: take(length) };
  });
  return {
    points: place,
    facets: corners,
    boundary,
    open,
    overshared,
    misdirected,
    outlines,
    chunks,
    min,
    max,
  };
}

export async function fetchGeometry(revision: number, which: "view" | "moving"): Promise<Geometry> {
  const answer = await fetch(`/geometry/${revision}/${which}`);
  if (!answer.ok) throw new Error("The geometry of this state cannot be fetched.");
  return decode(await answer.arrayBuffer());
}

/** Facets ordered by group, with where each group begins; `order[i]` is the facet drawn i-th. */
export function grouped(group: Uint32Array): {
  order: Uint32Array;
  groups: { key: number; start: number; count: number }[];
} {
  const counts = new Map<number, number>();
  for (const key of group) counts.set(key, (counts.get(key) ?? 0) + 1);
  const keys = [...counts.keys()].sort((a, b) => a - b);
  const next = new Map<number, number>();
  let start = 0;
  const groups = keys.map((key) => {
    const count = counts.get(key)!;
    next.set(key, start);
    start += count;
    return { key, start: start - count, count };
  });
  const order = new Uint32Array(group.length);
  for (let f = 0; f < group.length; f++) {
    const at = next.get(group[f])!;
    order[at] = f;
    next.set(group[f], at + 1);
  }
  return { order, groups };
}
