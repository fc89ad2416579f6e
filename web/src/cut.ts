// The planes that cut the view open: one across each axis, and one across a direction of choice.
import { Vector3, Vector4 } from "three";
import type { Place } from "./scene";
import { dot } from "./vector";

/** A plane that cuts nothing. */
const NOTHING: [number, number, number, number] = [0, 0, 0, 1];

/** What each plane is across; the last is chosen. */
const across: Place[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [0, 0, 1],
];

/** The number of the plane whose direction is chosen. */
export const CHOSEN = 3;

/** Points with dot(p, xyz) > w of any of them are not drawn. */
export const cut = { value: across.map(() => new Vector4(...NOTHING)) };

/** The same for shaders. */
export const CUT = `
  uniform vec4 cut[4];
  bool isCutAway(vec3 p) {
    return dot(p, cut[0].xyz) > cut[0].w || dot(p, cut[1].xyz) > cut[1].w || dot(p, cut[2].xyz) > cut[2].w
      || dot(p, cut[3].xyz) > cut[3].w;
  }`;

/** The direction that a plane is across, of length one. */
export const directionOf = (plane: number): Place => across[plane];

/** Chooses the direction of the plane that is not across an axis. */
export function chooseDirection(direction: Place): void {
  across[CHOSEN] = new Vector3(...direction).normalize().toArray() as Place;
}

/** Places a plane along its direction: what lies beyond `at` is cut away, or what lies before it; `null` cuts nothing. */
export function setCut(plane: number, at: number | null, before: boolean): void {
  const way = before ? -1 : 1;
  if (at === null) cut.value[plane].set(...NOTHING);
  else cut.value[plane].set(...(across[plane].map((x) => way * x) as Place), way * at);
}

/** The planes that cut something. */
export function cutting(): number[] {
  return across.map((_, k) => k).filter((k) => new Vector3().copy(cut.value[k]).lengthSq() > 0);
}

export function isCutAway(at: Place): boolean {
  return cut.value.some((plane) => dot(at, plane.toArray() as unknown as Place) > plane.w);
}
