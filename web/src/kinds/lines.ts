// Lines in space, in ink.
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";
import { ink } from "../theme";
import { type Box, type Kind, places } from "./kind";

const WIDTH = 2;

/** The ends of every piece of every line of a chunk: six numbers a piece. */
export function decodeLines(words: Uint32Array, box: Box): Float32Array {
  const count = words[0];
  const points = words.subarray(1, 1 + count);
  const place = places(words.subarray(1 + count), box);
  const pieces = points.reduce((sum, n) => sum + Math.max(0, n - 1), 0);
  const out = new Float32Array(6 * pieces);
  let from = 0;
  let to = 0;
  for (const n of points) {
    for (let i = 0; i + 1 < n; i++, to += 6) out.set(place.subarray(3 * (from + i), 3 * (from + i) + 6), to);
    from += n;
  }
  return out;
}

export const lines: Kind = {
  tag: "LINE",
  draw(words, box) {
    const shape = new LineSegmentsGeometry();
    shape.setPositions(decodeLines(words, box));
    return new LineSegments2(shape, new LineMaterial({ color: ink(), linewidth: WIDTH }));
  },
};
