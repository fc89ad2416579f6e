// Clearance against closed forms: boxes side by side, turned, corner to corner, and crossing.
import assert from "node:assert/strict";
import { test } from "node:test";
import { BoxGeometry, Matrix4, SphereGeometry, Vector3 } from "three";
import { clearance, surfaceOf } from "../src/clearance";

const box = () => surfaceOf(new BoxGeometry(2, 2, 2));
const at = (x: number, y: number, z: number) => new Matrix4().makeTranslation(x, y, z);
const near = (a: number, b: number) => assert.ok(Math.abs(a - b) < 1e-6, `${a} is not ${b}`);

test("boxes side by side, corner to corner and turned", () => {
  near(clearance(box(), at(5, 0.3, 0), box()).distance, 3);
  near(clearance(box(), at(3, 4, 4), box()).distance, Math.hypot(1, 2, 2));
  // Turned by 45° its edge comes forward.
  const turned = at(5, 0, 0).multiply(new Matrix4().makeRotationZ(Math.PI / 4));
  const found = clearance(box(), turned, box());
  near(found.distance, 4 - Math.SQRT2);
  near(found.from[0], 5 - Math.SQRT2);
  near(found.to[0], 1);
});

test("what crosses has no clearance; a ball is as far as its nearest point", () => {
  assert.ok(clearance(box(), at(1.5, 1.5, 0), box()).crosses);
  assert.ok(!clearance(box(), at(2.001, 0, 0), box()).crosses);
  const ball = surfaceOf(new SphereGeometry(1, 64, 32));
  const { distance, from } = clearance(ball, at(0, 0, 4), box());
  near(distance, 2);
  near(new Vector3(...from).distanceTo(new Vector3(0, 0, 3)), 0);
});
