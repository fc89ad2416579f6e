// Tables of the panels: rows in order, numbers as ranges and back, lengths in the unit that is shown, a frame as its trial moves it.
import assert from "node:assert/strict";
import { test } from "node:test";
import { pieces } from "../src/framing";
import { shownIn, SYMBOLS } from "../src/lengths";
import type { Place } from "../src/scene";
import { ordered, ranges } from "../src/tables";

/** Numbers that are the same at every run (a linear congruence). */
function dice(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 1664525 + 1013904223) >>> 0) / 2 ** 32;
}

test("rows stand by size where cells are numbers and by the alphabet where they are words, either way round", () => {
  for (let seed = 1; seed <= 40; seed++) {
    const roll = dice(seed);
    const values = Array.from({ length: 30 }, () => Math.round((roll() - 0.5) * 10 ** Math.ceil(roll() * 6)));
    // As the server writes them: thin spaces between thousands, a minus sign of its own, a unit behind.
    const written = (n: number) =>
      `${n < 0 ? "−" : ""}${Math.abs(n)
        .toString()
        .replace(/\B(?=(\d{3})+$)/g, "\u2009")} mm`;
    const rows = values.map((n, at) => ({ n, at, cell: written(n) }));
    const up = ordered(rows, (row) => row.cell, false);
    assert.deepEqual(
      up.map((row) => row.n),
      [...values].sort((a, b) => a - b),
    );
    // Rows that are alike stay as they stood.
    up.forEach((row, i) => assert.ok(i === 0 || up[i - 1].n < row.n || up[i - 1].at < row.at));
    assert.deepEqual(
      ordered(rows, (row) => row.cell, true).map((row) => row.n),
      [...values].sort((a, b) => b - a),
    );
  }
  assert.deepEqual(
    ordered(["rib", "Arm", "hub", "älter"], (word) => word, false),
    ["älter", "Arm", "hub", "rib"],
  );
});

test("numbers as ranges say the same numbers", () => {
  for (let seed = 1; seed <= 60; seed++) {
    const roll = dice(seed);
    const numbers = Array.from({ length: Math.floor(roll() * 40) }, () => Math.floor(roll() * 50));
    const text = ranges(numbers);
    const read = text
      .split(", ")
      .filter((part) => part !== "")
      .flatMap((part) => {
        const [from, to = from] = part.split("-").map(Number);
        return Array.from({ length: to - from + 1 }, (_, k) => from + k);
      });
    assert.deepEqual(
      read,
      [...new Set(numbers)].sort((a, b) => a - b),
    );
    // No two ranges could be one.
    const ends = text.split(", ").map((part) => part.split("-").map(Number));
    ends.forEach((part, i) => assert.ok(i === 0 || part[0] > ends[i - 1].at(-1)! + 1, text));
  }
});

test("lengths are shown in what was chosen, and in file units where nothing else is known", () => {
  assert.deepEqual(SYMBOLS, ["mm", "m", "in"]);
  assert.equal(254 * shownIn("mm", "in").factor, 10);
  assert.equal(2500 * shownIn("mm", "m").factor, 2.5);
  for (const wanted of SYMBOLS) assert.deepEqual(shownIn("units", wanted), { symbol: "units", factor: 1 });
});

test("a frame is drawn where its places have moved to, with ribs from where they were", () => {
  const points: Place[] = [
    [0, 0, 0],
    [1, 0, 0],
    [2, 0, 0],
  ];
  const moves: Place[] = [
    [0, 0, 0],
    [0, 2, 0],
    [0, 4, 1],
  ];
  const lines = [{ points, moves, values: [0, 1, 2] }];
  assert.deepEqual([...pieces(lines, 0.5, false)], [0, 0, 0, 1, 1, 0, 1, 1, 0, 2, 2, 0.5]);
  const ribs = pieces(lines, 1, true);
  // Two pieces and three ribs, of two places each.
  assert.equal(ribs.length, (2 + 3) * 6);
  assert.deepEqual([...ribs.subarray(0, 6)], [0, 0, 0, 0, 0, 0]);
  assert.deepEqual([...ribs.subarray(24)], [2, 0, 0, 2, 4, 1]);
  assert.equal(pieces([], 1, true).length, 0);
});
