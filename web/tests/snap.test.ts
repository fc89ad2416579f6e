// Where a click was meant: corners attract from further away than edges, both by distance on the screen.
import assert from "node:assert/strict";
import { test } from "node:test";
import type { Place } from "../src/scene";
import { snapped } from "../src/tools/snap";

const corners: [Place, Place, Place] = [
  [0, 0, 0],
  [100, 0, 0],
  [0, 100, 0],
];
/** Looked at from above, one unit a pixel, and from ten times as far. */
const near = ([x, y]: Place): [number, number] => [x, y];
const far = ([x, y]: Place): [number, number] => [x / 10, y / 10];

test("a click beside a corner, beside an edge and amid the facet", () => {
  const click = (at: Place, screen = near) => snapped({ at, facet: 0, corners, own: true }, screen);
  assert.deepEqual(click([96, 3, 0]), { at: [100, 0, 0], to: "corner" });
  assert.deepEqual(click([50, 4, 0]), { at: [50, 0, 0], to: "edge" });
  assert.deepEqual(click([30, 30, 0]), { at: [30, 30, 0], to: "surface" });
  // From far away the same click is beside a corner.
  assert.deepEqual(click([30, 30, 0], far).to, "corner");
});
