// Surfaces as the view has them, from plain lists.
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
