// Handles by which a body is moved and turned: where they stand on the screen, which one is meant, and the motion that a
// drag makes of it. A motion is a turn about a place, then a shift: what the step "Turn and move" takes.
import { Matrix4, Plane, Quaternion, type Ray, Vector3 } from "three";
import type { Place } from "./scene";

/** Pixels from the middle to the grip of a bar, and to an arc. */
export const BAR = 96;
export const ARC = 74;
/** Pixels within which a grip is meant. */
const REACH = 13;
/** An arc whose plane is seen from so near its edge cannot be dragged: the sine. */
const EDGEWISE = 0.12;
/** Degrees to which a turn snaps. */
export const DEGREES = 5;

/** A turn about `about`, then a shift. */
export interface Motion {
  turn: Quaternion;
  about: Vector3;
  by: Vector3;
}

export const still = (about: Vector3): Motion => ({ turn: new Quaternion(), about, by: new Vector3() });

/** A motion as a matrix. */
export function matrixOf({ turn, about, by }: Motion): Matrix4 {
  const back = about.clone().negate().applyQuaternion(turn);
  return new Matrix4().compose(about.clone().add(by).add(back), turn, new Vector3(1, 1, 1));
}

/** The same motion, told as a turn about another place of the body as it was. */
export function toldAbout(motion: Motion, about: Vector3): Motion {
  const by = about.clone().applyMatrix4(matrixOf(motion)).sub(about);
  return { turn: motion.turn, about, by };
}

/** A grip: a bar along an axis, or an arc about one. */
export interface Grip {
  kind: "bar" | "arc";
  axis: number;
}

/** Three directions at right angles. */
export type Axes = [Vector3, Vector3, Vector3];

export const WORLD: Axes = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)];

/** Axes whose third is a direction. */
export function axesAlong(direction: Place): Axes {
  const third = new Vector3(...direction).normalize();
  const turn = new Quaternion().setFromUnitVectors(WORLD[2], third);
  return [WORLD[0].clone().applyQuaternion(turn), WORLD[1].clone().applyQuaternion(turn), third];
}

/** A place of a quarter arc about an axis, `part` of the way from the next axis to the one after it. */
export function onArc(axes: Axes, axis: number, part: number): Vector3 {
  const angle = (part * Math.PI) / 2;
  const [a, b] = [axes[(axis + 1) % 3], axes[(axis + 2) % 3]];
  return a.clone().multiplyScalar(Math.cos(angle)).addScaledVector(b, Math.sin(angle));
}

/** Where a grip stands, with the length of a pixel. */
export function placeOf(grip: Grip, at: Vector3, axes: Axes, pixel: number): Vector3 {
  const off = grip.kind === "bar" ? axes[grip.axis].clone().multiplyScalar(BAR) : onArc(axes, grip.axis, 0.5).multiplyScalar(ARC); // prettier-ignore
  return at.clone().addScaledVector(off, pixel);
}

/** Grips that can be dragged as the body is looked at: not the bar that points at the eye, not an arc seen on edge. */
export function grips(axes: Axes, gaze: Place): Grip[] {
  const along = axes.map((a) => Math.abs(a.dot(new Vector3(...gaze))));
  return [0, 1, 2].flatMap((axis) => [
    ...(along[axis] < 1 - EDGEWISE / 4 ? [{ kind: "bar" as const, axis }] : []),
    ...(along[axis] > EDGEWISE ? [{ kind: "arc" as const, axis }] : []),
  ]);
}

/** The grip under a place of the screen, if one is near enough. */
export function gripAt(all: Grip[], where: (grip: Grip) => [number, number], [x, y]: [number, number]): Grip | null {
  const off = (g: Grip) => Math.hypot(where(g)[0] - x, where(g)[1] - y);
  const best = all.reduce<Grip | null>((b, g) => (b === null || off(g) < off(b) ? g : b), null);
  return best && off(best) <= REACH ? best : null;
}

/** How far along the line through `at` a ray passes nearest to it. */
export function alongLine(at: Vector3, direction: Vector3, ray: Ray): number {
  const between = at.clone().sub(ray.origin);
  const b = direction.dot(ray.direction);
  const part = 1 - b * b;
  if (part < 1e-9) return 0;
  return (b * ray.direction.dot(between) - direction.dot(between)) / part;
}

/** The angle at which a ray meets the plane of an arc, in radians from its first side. */
export function angleOn(at: Vector3, axes: Axes, axis: number, ray: Ray): number | null {
  const met = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(axes[axis], at), new Vector3());
  if (!met) return null;
  const off = met.sub(at);
  return Math.atan2(off.dot(axes[(axis + 2) % 3]), off.dot(axes[(axis + 1) % 3]));
}

/** A length brought to a round step: about six pixels long, and 1, 2 or 5 times a power of ten. */
export function rounded(length: number, pixel: number): number {
  const wanted = 6 * pixel;
  const power = 10 ** Math.floor(Math.log10(wanted));
  const step = [1, 2, 5, 10].map((k) => k * power).find((s) => s >= wanted) ?? wanted;
  // Powers of ten below one are no doubles: their inverse is.
  return step < 1 ? Math.round(length / step) / Math.round(1 / step) : Math.round(length / step) * step;
}

/** The motion after a shift along a direction. */
export function shifted(motion: Motion, direction: Vector3, length: number): Motion {
  return { ...motion, by: motion.by.clone().addScaledVector(direction, length) };
}

/** The motion after a turn about a direction, through where its middle is now. */
export function turned(motion: Motion, direction: Vector3, angle: number): Motion {
  const more = new Quaternion().setFromAxisAngle(direction, angle);
  return { ...motion, turn: more.multiply(motion.turn).normalize() };
}

/** The motion that brings a place of the body as it was to `to`; with two normals, its own comes to face the other. */
export function carried(motion: Motion, place: Vector3, to: Vector3, faces?: { own: Vector3; other: Vector3 }): Motion {
  let { turn } = motion;
  if (faces) {
    const now = faces.own.clone().applyQuaternion(turn);
    turn = new Quaternion().setFromUnitVectors(now, faces.other.clone().negate()).multiply(turn).normalize();
  }
  const next = { ...motion, turn };
  const comes = place.clone().applyMatrix4(matrixOf(next));
  return { ...next, by: next.by.clone().add(to).sub(comes) };
}
