// Handles: the motion that a drag makes, against where places of the body must come to.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Quaternion, Ray, Vector3 } from "three";
import * as handles from "../src/handles";

const V = (x: number, y: number, z: number) => new Vector3(x, y, z);
const near = (a: Vector3, b: Vector3) => assert.ok(a.distanceTo(b) < 1e-9, `${a.toArray()} is not ${b.toArray()}`);
const after = (m: handles.Motion, p: Vector3) => p.clone().applyMatrix4(handles.matrixOf(m));
const some = {
  turn: new Quaternion().setFromAxisAngle(V(1, 2, 3).normalize(), 1.1),
  about: V(4, 5, 6),
  by: V(-1, 0, 7),
};

test("a turn goes about the middle where it is now, a shift along its axis", () => {
  const motion = handles.turned(handles.shifted(handles.still(V(1, 0, 0)), V(0, 0, 1), 5), V(0, 0, 1), Math.PI / 2);
  near(after(motion, V(1, 0, 0)), V(1, 0, 5));
  near(after(motion, V(2, 0, 0)), V(1, 1, 5));
  for (const p of [V(0, 0, 0), V(9, -3, 2)]) near(after(handles.toldAbout(some, V(7, 7, 7)), p), after(some, p));
});

test("a place is carried to a place, and two faces come to face each other", () => {
  const [own, other] = [V(0, 0.6, 0.8), V(1, 1, 0).normalize()];
  for (const faces of [undefined, { own, other }]) {
    const motion = handles.carried(some, V(3, 1, 2), V(10, 20, 30), faces);
    near(after(motion, V(3, 1, 2)), V(10, 20, 30));
    const normal = own.clone().applyQuaternion(motion.turn);
    if (faces) near(normal, other.clone().negate());
  }
});

test("what a ray from the eye says of a bar and of an arc", () => {
  const ray = new Ray(V(3, 4, 50), V(0, 0, -1));
  assert.equal(handles.alongLine(V(1, 0, 0), V(1, 0, 0), ray), 2);
  const slanted = new Ray(V(3, 0, 50), V(0.6, 0, -0.8));
  assert.ok(Math.abs(handles.alongLine(V(0, 0, 0), V(1, 0, 0), slanted) - (3 + 50 * 0.75)) < 1e-9);
  assert.equal(handles.alongLine(V(0, 0, 0), V(0, 0, 1), ray), 0);
  const angle = handles.angleOn(V(0, 0, 0), handles.WORLD, 2, ray);
  assert.ok(Math.abs(angle! - Math.atan2(4, 3)) < 1e-12);
  assert.equal(handles.angleOn(V(0, 0, 0), handles.WORLD, 0, ray), null);
});

test("lengths come to round steps, and grips on edge are not offered", () => {
  assert.equal(handles.rounded(12.34, 0.1), 12);
  assert.equal(handles.rounded(0.1234, 0.0001), 0.123);
  assert.equal(handles.rounded(-7.4, 0.5), -5);
  const straight = handles.grips(handles.WORLD, [0, 0, -1]);
  assert.deepEqual(straight.map((g) => g.kind + g.axis).sort(), ["arc2", "bar0", "bar1"]);
  const seen = handles.gripAt(straight, (g) => [g.axis * 100, g.kind === "arc" ? 50 : 0], [96, 3]);
  assert.deepEqual(seen, { kind: "bar", axis: 1 });
  const axes = handles.axesAlong([1, 1, 1]);
  near(axes[0].clone().cross(axes[1]), axes[2]);
  near(axes[2], V(1, 1, 1).normalize());
});
