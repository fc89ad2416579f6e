// The planes that cut the view open: one across each axis, at most.
import { Vector3, Vector4 } from "three";
import type { Place } from "./scene";

/** A plane that cuts nothing. */
const NOTHING: [number, number, number, number] = [0, 0, 0, 1];

/** Points with dot(p, xyz) > w of any of them are not drawn. */
export const cut = { value: [0, 1, 2].map(() => new Vector4(...NOTHING)) };

/** The same for shaders. */
export const CUT = `
  uniform vec4 cut[3];
  bool isCutAway(vec3 p) {
    return dot(p, cut[0].xyz) > cut[0].w || dot(p, cut[1].xyz) > cut[1].w || dot(p, cut[2].xyz) > cut[2].w;
  }`;

/** Sets the plane across an axis: what lies beyond `at` is cut away, or what lies before it; `null` cuts nothing. */
export function setCut(axis: number, at: number | null, before: boolean): void {
  const way = before ? -1 : 1;
  if (at === null) cut.value[axis].set(...NOTHING);
  else cut.value[axis].set(0, 0, 0, way * at).setComponent(axis, way);
}

/** The axes whose planes cut something. */
export function cutAxes(): number[] {
  return [0, 1, 2].filter((k) => new Vector3().copy(cut.value[k]).lengthSq() > 0);
}

export function isCutAway(at: Place): boolean {
  return cut.value.some((plane) => new Vector3(...at).dot(new Vector3().copy(plane)) > plane.w);
}
