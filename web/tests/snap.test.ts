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

test("corners within ten pixels come first, then edges within six, then the place itself", () => {
  let x = 7;
  const next = () => (x = (Math.imul(x, 1664525) + 1013904223) >>> 0) / 2 ** 32;
  const flat = ([p, q]: Place): [number, number] => [p, q];
  const counts = { corner: 0, edge: 0, surface: 0 };
  for (let i = 0; i < 400; i++) {
    const corners = [0, 1, 2].map(() => [120 * next(), 120 * next(), 0]) as [Place, Place, Place];
    const weights = [next(), next(), next()];
    const sum = weights[0] + weights[1] + weights[2];
    const at = [0, 1, 2].map((k) => corners.reduce((s, c, j) => s + (c[k] * weights[j]) / sum, 0)) as Place;
    const off = (p: Place) => Math.hypot(p[0] - at[0], p[1] - at[1]);
    // Edges by many places of each.
    const along = corners.flatMap((a, j) => Array.from({ length: 2001 }, (_, n) => a.map((v, k) => v + (n / 2000) * (corners[(j + 1) % 3][k] - v)) as Place)); // prettier-ignore
    const [corner, edge] = [Math.min(...corners.map(off)), Math.min(...along.map(off))];
    if (Math.abs(corner - 10) < 1e-6 || Math.abs(edge - 6) < 0.01) continue;
    const meant = corner <= 10 ? "corner" : edge <= 6 ? "edge" : "surface";
    const found = snapped({ at, facet: 0, corners, own: true }, flat);
    assert.equal(found.to, meant);
    const due = { corner, edge, surface: 0 }[meant];
    assert.ok(Math.abs(off(found.at) - due) < 0.01, `${found.to} at ${off(found.at)} for ${due}`);
    counts[meant]++;
  }
  assert.ok(
    Object.values(counts).every((n) => n > 40),
    JSON.stringify(counts),
  );
});
