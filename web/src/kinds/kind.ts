// What a kind of geometry besides the surface is to the view: one file each, named in the list of index.ts.
import type { Object3D } from "three";

/** The box in which places are counted in steps. */
export interface Box {
  min: [number, number, number];
  max: [number, number, number];
}

export interface Kind {
  /** The tag of its chunks, as the server writes it. */
  readonly tag: string;
  /** Its words as something to draw. */
  draw(words: Uint32Array, box: Box): Object3D;
}

const STEPS = 2 ** 21 - 1;

/** Places of the box out of two words each: three steps of 21 bits. */
export function places(packed: Uint32Array, { min, max }: Box): Float32Array {
  const out = new Float32Array((packed.length / 2) * 3);
  const step = [0, 1, 2].map((k) => (max[k] - min[k]) / STEPS);
  for (let i = 0; 2 * i < packed.length; i++) {
    const low = packed[2 * i];
    const high = packed[2 * i + 1];
    out[3 * i] = min[0] + (low & 0x1fffff) * step[0];
    out[3 * i + 1] = min[1] + ((low >>> 21) | ((high & 0x3ff) << 11)) * step[1];
    out[3 * i + 2] = min[2] + ((high >>> 10) & 0x1fffff) * step[2];
  }
  return out;
}
