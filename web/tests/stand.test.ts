// How a body stands by one click: turns checked by turning vectors with them.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Quaternion, Vector3 } from "three";
import { floor, front, turnOf } from "../src/tools/stand";

/** A turn as the server reads it: degrees about the axis along three numbers. */
function turned(values: Record<string, string>, v: Vector3): Vector3 {
  const t = new Vector3(...values.turn.split(", ").map(Number));
  const angle = (t.length() * Math.PI) / 180;
  return v.clone().applyAxisAngle(t.normalize(), angle);
}

const near = (a: Vector3, b: Vector3) => assert.ok(a.distanceTo(b) < 1e-9, `${a.toArray()} is not ${b.toArray()}`);

test("a face becomes the floor, along an axis or askew", () => {
  assert.deepEqual(floor(new Vector3(0, -1, 0), [0, 0, 0]), { step: "orient", up: "+y", forward: "+x" });
  assert.deepEqual(floor(new Vector3(1, 0, 0), [0, 0, 0]), { step: "orient", up: "-x", forward: "+y" });
  const normal = new Vector3(0.3, -0.5, 0.8).normalize();
  near(turned(floor(normal, [1, 2, 3]), normal), new Vector3(0, 0, -1));
  assert.equal(floor(normal, [1, 2, 3]).by, "0, 0, -3");
});

test("a view becomes the front, along axes or askew", () => {
  const [x, y, z] = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)];
  assert.deepEqual(front(y.clone().negate(), x, [0, 0, 0]), { step: "orient", up: "+x", forward: "-y" });
  const q = new Quaternion().setFromAxisAngle(new Vector3(1, 2, 3).normalize(), 1.1);
  const [eye, up] = [x.clone().applyQuaternion(q), z.clone().applyQuaternion(q)];
  const values = front(eye, up, [0, 0, 0]);
  near(turned(values, eye), x);
  near(turned(values, up), z);
  // The same turn twice round, and none.
  assert.deepEqual(turnOf(new Quaternion(0, 0, 0, -1)).map(Math.abs), [0, 0, 0]);
});
