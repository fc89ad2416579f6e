// The plane that cuts the view open.
import { Vector3, Vector4 } from "three";
import type { Place } from "./scene";

/** Points with dot(p, xyz) > w are not drawn. */
export const cut = { value: new Vector4(0, 0, 0, 1) };

export function isCutAway([x, y, z]: Place): boolean {
  return new Vector3(x, y, z).dot(new Vector3().copy(cut.value)) > cut.value.w;
}
