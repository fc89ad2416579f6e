// Section planes: what they cut away.
import assert from "node:assert/strict";
import { afterEach, test } from "node:test";
import { CHOSEN, chooseDirection, cutting, directionOf, isCutAway, setCut } from "../src/cut";
import { acrossPlaces } from "../src/tools/section";

afterEach(() => [0, 1, 2, CHOSEN].forEach((plane) => setCut(plane, null, false)));

test("a plane through three places cuts away one side, and the other way round the other", () => {
  const places: [number, number, number][] = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  chooseDirection(acrossPlaces(places)!);
  const at = 1 / Math.sqrt(3);
  assert.ok(Math.abs(directionOf(CHOSEN)[0] - at) < 1e-12);
  setCut(CHOSEN, at, false);
  assert.deepEqual(cutting(), [CHOSEN]);
  assert.equal(isCutAway([0.5, 0.5, 0.5]), true);
  assert.equal(isCutAway([0.2, 0.2, 0.2]), false);
  setCut(CHOSEN, at, true);
  assert.equal(isCutAway([0.5, 0.5, 0.5]), false);
  assert.equal(isCutAway([0.2, 0.2, 0.2]), true);
  // Together with one across an axis.
  setCut(0, 0.1, false);
  assert.equal(isCutAway([0.5, 0.5, 0.5]), true);
  assert.equal(
    acrossPlaces([
      [0, 0, 0],
      [1, 2, 3],
      [2, 4, 6],
    ]),
    null,
  );
});
