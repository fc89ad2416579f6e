// Members of a frame at full size, beside their lines.
import { BufferAttribute, BufferGeometry, Color, DoubleSide, Mesh, ShaderMaterial } from "three";
import { cut } from "../cut";
import { fragmentShader, vertexShader } from "../shading";
import { type Box, type Kind, places } from "./kind";

const STEEL = 0xa9b8bd;

/** Whether they are drawn. */
export const full = { shown: true };

/** Places and corners of a chunk. */
export function decodeSolids(words: Uint32Array, box: Box): { place: Float32Array; corners: Uint32Array } {
  const [points, facets] = words;
  return {
    place: places(words.subarray(2, 2 + 2 * points), box),
    corners: words.slice(2 + 2 * points, 2 + 2 * points + 3 * facets),
  };
}

export const solids: Kind = {
  tag: "SOLD",
  draw(words, box) {
    const { place, corners } = decodeSolids(words, box);
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(place, 3));
    shape.setIndex(new BufferAttribute(corners, 1));
    const uniforms = {
      base: { value: new Color(STEEL) },
      cut,
      hatch: { value: 0 },
      insides: { value: 0 },
      opacity: { value: 1 },
    };
    const mesh = new Mesh(
      shape,
      new ShaderMaterial({
        vertexShader,
        fragmentShader,
        side: DoubleSide,
        uniforms,
        polygonOffset: true,
        polygonOffsetFactor: 1,
        polygonOffsetUnits: 1,
      }),
    );
    mesh.userData.isFullSize = true;
    mesh.userData.unwanted = !full.shown;
    mesh.visible = full.shown;
    return mesh;
  },
};
