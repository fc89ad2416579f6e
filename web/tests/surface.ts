// Surfaces as the view has them and as the server sends them, from plain lists.
import type { Geometry } from "../src/geometry";
import type { Place } from "../src/scene";

/** A body of facets between numbered points, and of outlines as pairs of them. */
export function body(points: Place[], facets: number[], outlines: number[] = []): Geometry {
  const none = new Uint32Array();
  const along = (pick: (...x: number[]) => number) => [0, 1, 2].map((k) => pick(...points.map((p) => p[k]))) as Place;
  return {
    points: Float32Array.from(points.flat()),
    facets: Uint32Array.from(facets),
    boundary: new Uint32Array(facets.length / 3),
    open: none,
    overshared: none,
    misdirected: none,
    outlines: Uint32Array.from(outlines),
    chunks: [],
    min: along(Math.min),
    max: along(Math.max),
  };
}

/** Steps of the box, along each axis. */
export const STEPS = 2 ** 21 - 1;

/** What a state is drawn of. */
export interface Parts {
  points: number[][];
  facets: number[][];
  boundary: number[];
  segments: number[][][];
  curves: number[][];
  chunks?: number[][];
}

/** As the server sends it. */
export function encode({ points, facets, boundary, segments, curves, chunks = [] }: Parts): ArrayBuffer {
  const min = [0, 1, 2].map((k) => Math.min(...points.map((p) => p[k])));
  const max = [0, 1, 2].map((k) => Math.max(...points.map((p) => p[k])));
  const runs: number[][] = [];
  for (const b of boundary) {
    const last = runs[runs.length - 1];
    if (last?.[1] === b) last[0]++;
    else runs.push([1, b]);
  }
  const words: number[] = [0x31564852, points.length, facets.length, runs.length, ...segments.map((s) => s.length)];
  const floats = new Float32Array([...min, ...max]);
  words.push(...new Uint32Array(floats.buffer), curves.length, chunks.length);
  for (const p of points) {
    const step = (k: number) => BigInt(max[k] > min[k] ? Math.round(((p[k] - min[k]) / (max[k] - min[k])) * STEPS) : 0);
    const packed = step(0) | (step(1) << 21n) | (step(2) << 42n);
    words.push(Number(packed & 0xffffffffn), Number(packed >> 32n));
  }
  words.push(...facets.flat(), ...runs.flat(), ...segments.flat(2), ...curves.flat());
  for (const chunk of chunks) words.push(...chunk);
  return new Uint32Array(words).buffer;
}
