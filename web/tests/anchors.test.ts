// Which facets of a boundary its leader may end on, and which of those that are seen.
import assert from "node:assert/strict";
import { test } from "node:test";
import { middlemost, spread } from "../src/anchors";

test("facets that are tried are spread over each boundary, and no more than asked", () => {
  const group = Uint32Array.from({ length: 1000 }, (_, i) => (i < 3 ? 1 : i % 5 === 0 ? 0xffffffff : 0));
  const [first, second, none] = spread(group, 3, 10);
  assert.equal(first.length, 10);
  assert.ok(first.every((f) => group[f] === 0));
  assert.ok(first.at(-1)! > 850, "to the end");
  assert.deepEqual(
    second,
    [1, 2, 0].sort((a, b) => a - b).filter((f) => group[f] === 1),
  );
  assert.deepEqual(none, []);
});

test("of a boundary seen in two pieces the leader ends on one of them, not between", () => {
  const places: [number, number][] = [
    [0, 0],
    [1, 0],
    [2, 0],
    [100, 0],
  ];
  assert.equal(middlemost(places), 2);
});
