// Small parts of the view by themselves: ways of a trial, what a preview changes, letters and figures, planes that cut.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import { missing } from "../src/changes";
import { chooseDirection, CHOSEN, cutting, directionOf, isCutAway, setCut } from "../src/cut";
import type { Geometry } from "../src/geometry";
import { letter, type Place, short } from "../src/scene";
import { pieces } from "../src/ways";

/** Numbers that look random and are always the same. */
function numbers(seed: number): () => number {
  let x = seed >>> 0;
  return () => {
    x = (Math.imul(x, 1664525) + 1013904223) >>> 0;
    return x / 2 ** 32;
  };
}

test("pieces of ways are pairs of neighbours, coloured from slow to fast", () => {
  const points: Place[] = [[0, 0, 0], [1, 0, 0], [1, 1, 0]]; // prettier-ignore
  const { places, colours } = pieces([
    { points, speeds: [0, 1, 4] },
    { points: [[9, 9, 9]], speeds: [2] },
    { points: [], speeds: [] },
  ]);
  assert.deepEqual([...places], [0, 0, 0, 1, 0, 0, 1, 0, 0, 1, 1, 0]);
  const brightness = [0, 1, 2, 3].map((i) => colours[3 * i] + colours[3 * i + 1] + colours[3 * i + 2]);
  assert.ok(brightness[0] > brightness[1] && brightness[2] > brightness[3], "light where slow, dark where fast");
  assert.equal(brightness[1].toFixed(6), brightness[2].toFixed(6), "one place has one colour");
  assert.equal(pieces([]).places.length, 0);
  assert.ok([...pieces([{ points, speeds: [0, 0, 0] }]).colours].every(Number.isFinite), "nothing flows");
});

/** Facets as a body, each with points of its own. */
function body(facets: Place[][]): Geometry {
  const points = facets.flat();
  const along = (pick: (...x: number[]) => number) => [0, 1, 2].map((k) => pick(...points.map((p) => p[k]))) as Place;
  return {
    points: Float32Array.from(points.flat()),
    facets: Uint32Array.from(points.keys()),
    min: along(Math.min),
    max: along(Math.max),
  } as Geometry;
}

test("what a preview adds and takes away is what differs, whatever the order and the steps of the box", () => {
  for (let seed = 1; seed < 30; seed++) {
    const next = numbers(seed);
    const facet = () => [0, 1, 2].map(() => [100 * next(), 100 * next(), 100 * next()] as Place);
    const [both, gone, added] = [20, 6, 9].map((n) => Array.from({ length: n }, facet));
    const ends: Place[][] = [[[0, 0, 0], [0, 0, 1], [0, 1, 0]], [[100, 100, 100], [99, 100, 100], [100, 99, 100]]]; // prettier-ignore
    // Places come in steps of the box: a ten-thousandth of a thousandth off.
    const shaken = both.map((f) => f.map((p) => p.map((x) => x + 1e-4 * (next() - 0.5)) as Place));
    const before = body([...both, ...ends, ...gone]);
    const after = body([...added, ...ends, ...shaken.reverse()]);
    assert.deepEqual([...missing(after, before)], [...added.keys()], `seed ${seed}`);
    assert.deepEqual(
      [...missing(before, after)],
      [...gone.keys()].map((i) => i + 22),
      `seed ${seed}`,
    );
    assert.equal(missing(before, before).length, 0);
  }
});

test("letters go on behind Z", () => {
  const all = Array.from({ length: 800 }, (_, i) => letter(i));
  assert.deepEqual([all[0], all[25], all[26], all[27], all[51], all[52], all[701], all[702]], ["A", "Z", "AA", "AB", "AZ", "BA", "ZZ", "AAA"]); // prettier-ignore
  assert.equal(new Set(all).size, 800);
});

test("figures have about four digits, a thin space between thousands and no nought behind", () => {
  const said: [number, string][] = [
    [0, "0"],
    [1, "1"],
    [0.5, "0.5"],
    [12.3456, "12.35"],
    [1234.6, "1\u2009235"],
    [1234567, "1\u2009234\u2009567"],
    [-0.00123456, "−0.001235"],
    [999.96, "1\u2009000"],
    [1e-9, "0"],
  ];
  for (const [x, text] of said) assert.equal(short(x), text);
  for (let seed = 1; seed < 200; seed++) {
    const next = numbers(seed);
    const x = (next() - 0.5) * 10 ** Math.floor(10 * next() - 4);
    const back = Number(short(x).replaceAll("\u2009", "").replace("−", "-"));
    assert.ok(Math.abs(back - x) <= Math.max(6e-4 * Math.abs(x), 5e-7), `${x} is said as ${short(x)}`);
  }
});

beforeEach(() => [0, 1, 2, 3].forEach((plane) => setCut(plane, null, false)));

test("planes cut away what lies beyond them, or before, and all of them together what any does", () => {
  const sides: [Place, boolean[]][] = [
    [[5, 0, 0], [true, false]],
    [[1, 0, 0], [false, true]],
    [[2, 9, -9], [false, false]],
  ]; // prettier-ignore
  for (const before of [false, true]) {
    setCut(0, 2, before);
    assert.deepEqual(cutting(), [0]);
    for (const [at, away] of sides) assert.equal(isCutAway(at), away[Number(before)], `${at}`);
  }
  setCut(0, null, false);
  assert.deepEqual([cutting(), isCutAway([1e9, 1e9, 1e9])], [[], false]);
});

test("a plane across any direction is at its distance along it", () => {
  for (let seed = 1; seed < 60; seed++) {
    const next = numbers(seed);
    const direction = [next() - 0.5, next() - 0.5, next() - 0.5] as Place;
    chooseDirection(direction);
    const d = directionOf(CHOSEN);
    assert.ok(Math.abs(Math.hypot(...d) - 1) < 1e-12);
    const at = 20 * next() - 10;
    const before = next() < 0.5;
    setCut(CHOSEN, at, before);
    for (let i = 0; i < 20; i++) {
      const p = [20 * next() - 10, 20 * next() - 10, 20 * next() - 10] as Place;
      const along = p[0] * d[0] + p[1] * d[1] + p[2] * d[2];
      if (Math.abs(along - at) > 1e-9) assert.equal(isCutAway(p), before ? along < at : along > at);
    }
  }
});
