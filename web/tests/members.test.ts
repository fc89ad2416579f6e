// Members and joints inside an outline, as it is drawn on the screen.
import assert from "node:assert/strict";
import { test } from "node:test";
import { jointStep, sectionStep } from "../src/cells";
import { enclosed, isInside } from "../src/members";
import type { Place } from "../src/scene";

type Dot = [number, number];

test("an outline with a bay encloses what is in it, and not what is in the bay", () => {
  const bay: Dot[] = [[0, 0], [9, 0], [9, 9], [6, 9], [6, 3], [3, 3], [3, 9], [0, 9]]; // prettier-ignore
  assert.ok(isInside(bay, [1, 8]) && isInside(bay, [4, 1]) && isInside(bay, [8, 8]));
  assert.ok(!isInside(bay, [4, 8]) && !isInside(bay, [-1, 4]) && !isInside(bay, [4, 10]));
  // The same the other way round.
  const back = [...bay].reverse();
  assert.ok(isInside(back, [4, 1]) && !isInside(back, [4, 8]));
});

test("members are inside with both ends, joints are counted once", () => {
  const square: Dot[] = [[0, 0], [10, 0], [10, 10], [0, 10]]; // prettier-ignore
  const flat = ([x, y]: Place): Dot => [x, y];
  // Two in it that meet, one that leads out from where they meet, one beside it.
  const pieces: [Place, Place][] = [
    [[1, 1, 0], [5, 5, 7]],
    [[5, 5, 7], [9, 1, 0]],
    [[5, 5, 7], [5, 50, 7]],
    [[20, 1, 0], [20, 5, 0]],
  ]; // prettier-ignore
  assert.deepEqual(enclosed(pieces, flat, square), { pieces: [0, 1], ends: 3 });
});

test("a cell says which step it is: the material stays unless it is typed, a joint moves along one axis", () => {
  const set = { step: "set_section", layer: "#3", turn: "90" };
  assert.deepEqual(sectionStep("IPE 200", "RHS 80x40x4 of S355", "#3", "90"), { ...set, section: "IPE 200", material: "S355" }); // prettier-ignore
  assert.deepEqual(sectionStep("IPE 200 of GL24h", "none", "#3", "90"), { ...set, section: "IPE 200", material: "GL24h" }); // prettier-ignore
  assert.equal(sectionStep("IPE 200", "none", "#3", "90").material, "S235");
  assert.deepEqual(jointStep("2,5", "1, 2, 3", 1), { step: "move_joint", at: "1, 2, 3", by: "0, 0.5, 0" });
  assert.equal(jointStep("2", "1, 2, 3", 1), null);
  for (const typed of ["far", "1e999", "2 3"]) assert.match(String(jointStep(typed, "1, 2, 3", 1)), /is no number/);
});
