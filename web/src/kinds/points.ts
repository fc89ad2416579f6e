// Points without facets, in their own colours or in ink.
import { BufferAttribute, BufferGeometry, Color, Points, ShaderMaterial } from "three";
import { CUT, cut } from "../cut";
import { ink } from "../theme";
import { type Box, type Kind, places } from "./kind";

const vertexShader = `
  attribute vec3 tint; varying vec3 vTint; varying vec3 vWorld;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    vTint = tint; vWorld = world.xyz;
    gl_PointSize = 2.5;
    gl_Position = projectionMatrix * viewMatrix * world;
  }`;

const fragmentShader = `${CUT}
  varying vec3 vTint; varying vec3 vWorld;
  void main() {
    if (isCutAway(vWorld)) discard;
    gl_FragColor = vec4(vTint, 1.0);
  }`;

/** Places and colours (0 to 255) of a chunk; points without colours have their `own`. */
export function decodePoints(words: Uint32Array, box: Box, own = "#1c2b3a"): { place: Float32Array; tint: Uint8Array } {
  const [count, coloured] = words;
  const place = places(words.subarray(2, 2 + 2 * count), box);
  const tint = new Uint8Array(3 * count);
  const plain = coloured ? 0 : new Color(own).getHex();
  for (let i = 0; i < count; i++) {
    const word = coloured ? words[2 + 2 * count + i] : 0;
    for (let k = 0; k < 3; k++)
      tint[3 * i + k] = coloured ? (word >>> (8 * k)) & 0xff : (plain >>> (8 * (2 - k))) & 0xff;
  }
  return { place, tint };
}

export const points: Kind = {
  tag: "PNTS",
  draw(words, box) {
    const { place, tint } = decodePoints(words, box, ink());
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(place, 3));
    shape.setAttribute("tint", new BufferAttribute(tint, 3, true));
    return new Points(shape, new ShaderMaterial({ vertexShader, fragmentShader, uniforms: { cut } }));
  },
};
