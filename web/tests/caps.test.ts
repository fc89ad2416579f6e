// What fills a section: one filling in each plane that cuts a closed body, about its middle; none where it would lie.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import { BufferGeometry, Mesh, Vector3 } from "three";
import { Caps } from "../src/caps";
import { chooseDirection, CHOSEN, setCut } from "../src/cut";
import type { Drawing } from "../src/drawing";

beforeEach(() => [0, 1, 2, 3].forEach((plane) => setCut(plane, null, false)));

/** A body of a box, with so many facets and open edges. */
function body(facets = 12, open = 0, overshared = 0): Drawing {
  const geometry = {
    facets: new Uint32Array(3 * facets),
    open: new Uint32Array(open),
    overshared: new Uint32Array(overshared),
    min: [-10, 0, 5],
    max: [30, 20, 9],
  };
  return { geometry, surface: new Mesh(new BufferGeometry()) } as unknown as Drawing;
}

const fillings = (caps: Caps) => caps.root.children.filter((c) => c.userData.plane !== undefined) as Mesh[];
const planes = (caps: Caps) => fillings(caps).map((f) => f.userData.plane as number);

test("each plane that cuts has a filling, counted before it is filled and one plane after the other", () => {
  const caps = new Caps();
  const drawn = body();
  caps.fit(drawn);
  assert.equal(caps.root.children.length, 0);
  setCut(0, 4, false);
  setCut(2, 7, true);
  caps.fit(drawn);
  assert.deepEqual([planes(caps), caps.root.children.length], [[0, 2], 6]);
  const order = caps.root.children.map((c) => c.renderOrder);
  assert.deepEqual(order, [1, 1, 2, 21, 21, 22]);
  setCut(0, null, false);
  caps.fit(drawn);
  assert.deepEqual(planes(caps), [2]);
});

test("a filling lies in its plane, nearest to the middle, and is as large as the body whichever way it is cut", () => {
  const caps = new Caps();
  const drawn = body();
  const middle = new Vector3(10, 10, 7);
  for (const [direction, at, before] of [
    [[1, 0, 0], 4, false],
    [[1, 2, -2], -3.5, true],
    [[0, -1, 0.2], 11, false],
  ] as const) {
    chooseDirection([...direction]);
    setCut(CHOSEN, at, before);
    caps.fit(drawn);
    const [fill] = fillings(caps);
    const d = new Vector3(...direction).normalize();
    assert.ok(Math.abs(fill.position.dot(d) - at) < 1e-9, "in the plane");
    assert.ok(fill.position.clone().sub(middle).cross(d).length() < 1e-9, "before the middle");
    const facing = new Vector3(0, 0, 1).applyQuaternion(fill.quaternion);
    assert.ok(Math.abs(Math.abs(facing.dot(d)) - 1) < 1e-9, "across the direction");
    fill.geometry.computeBoundingSphere();
    assert.ok(fill.geometry.boundingSphere!.radius > Math.hypot(40, 20, 4), "over all of the body");
  }
});

test("a plane that is moved takes its filling along without making it anew", () => {
  const caps = new Caps();
  const drawn = body();
  setCut(1, 3, false);
  caps.fit(drawn);
  const [fill] = fillings(caps);
  setCut(1, 12, false);
  caps.fit(drawn);
  assert.equal(fillings(caps)[0], fill);
  assert.ok(Math.abs(fill.position.y - 12) < 1e-9);
  caps.fit(body());
  assert.notEqual(fillings(caps)[0], fill, "another body is counted anew");
});

test("bodies that are open, overshared, of no facets or of very many are cut without a filling", () => {
  setCut(0, 4, false);
  for (const drawn of [body(12, 2), body(12, 0, 2), body(0), body(300_001), null]) {
    const caps = new Caps();
    caps.fit(body());
    assert.deepEqual(planes(caps), [0]);
    caps.fit(drawn);
    assert.equal(caps.root.children.length, 0);
  }
});
