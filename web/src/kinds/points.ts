// Points without facets, in their own colours or in ink.
import { BufferAttribute, BufferGeometry, Points, ShaderMaterial } from "three";
import { cut } from "../cut";
import { type Box, type Kind, places } from "./kind";

const INK = [0x1c, 0x2b, 0x3a];

const vertexShader = `
  attribute vec3 tint; varying vec3 vTint; varying vec3 vWorld;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    vTint = tint; vWorld = world.xyz;
    gl_PointSize = 2.5;
    gl_Position = projectionMatrix * viewMatrix * world;
  }`;

const fragmentShader = `
  uniform vec4 cut; varying vec3 vTint; varying vec3 vWorld;
  void main() {
    if (dot(vWorld, cut.xyz) > cut.w) discard;
    gl_FragColor = vec4(vTint, 1.0);
  }`;

/** Places and colours (0 to 255) of a chunk. */
export function decodePoints(words: Uint32Array, box: Box): { place: Float32Array; tint: Uint8Array } {
  const [count, coloured] = words;
  const place = places(words.subarray(2, 2 + 2 * count), box);
  const tint = new Uint8Array(3 * count);
  for (let i = 0; i < count; i++) {
    const word = coloured ? words[2 + 2 * count + i] : 0;
    for (let k = 0; k < 3; k++) tint[3 * i + k] = coloured ? (word >>> (8 * k)) & 0xff : INK[k];
  }
  return { place, tint };
}

export const points: Kind = {
  tag: "PNTS",
  draw(words, box) {
    const { place, tint } = decodePoints(words, box);
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(place, 3));
    shape.setAttribute("tint", new BufferAttribute(tint, 3, true));
    return new Points(shape, new ShaderMaterial({ vertexShader, fragmentShader, uniforms: { cut } }));
  },
};
