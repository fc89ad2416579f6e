// Stations of a scan, as they are typed and as they stand in the view.
import assert from "node:assert/strict";
import { test } from "node:test";
import { stationsOf, typedOf } from "../src/tools/station";

test("stations are read as they are typed, and what is no place is left out", () => {
  assert.deepEqual(stationsOf("1, 2, 3; −4,5.5, 6e2"), [
    [1, 2, 3],
    [-4, 5.5, 600],
  ]);
  assert.deepEqual(stationsOf("1, 2; far, 0, 0; ; 7, 8, 9"), [[7, 8, 9]]);
  assert.equal(typedOf([[1 / 3, -2e5 - 1, 0]]), "0.33333, -200000, 0");
  assert.deepEqual(stationsOf(typedOf([[1.25, -3, 1000]])), [[1.25, -3, 1000]]);
});
