// The geometry that the server sends, encoded here as view.rs says, decoded as the view does; groups against plain search.
import assert from "node:assert/strict";
import { test } from "node:test";
import { decode, grouped, UNNAMED } from "../src/geometry";
import type { Box } from "../src/kinds/kind";
import { decodeLines } from "../src/kinds/lines";
import { decodePoints } from "../src/kinds/points";
import { decodeSplats, farthestFirst } from "../src/kinds/splats";
import { letter, short } from "../src/scene";
import { encode, STEPS } from "./surface";

/** Numbers that are the same at every run (a linear congruence). */
function dice(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 1664525 + 1013904223) >>> 0) / 2 ** 32;
}

test("what is encoded comes back, points within a step of the box", () => {
  for (let seed = 1; seed <= 50; seed++) {
    const roll = dice(seed);
    const n = 3 + Math.floor(roll() * 40);
    const flat = seed % 7 === 0;
    const points = Array.from({ length: n }, () => [roll() * 900 - 450, flat ? 5 : roll() * 0.01, roll() * 1e4]);
    const any = () => Math.floor(roll() * n);
    const facets = Array.from({ length: Math.floor(roll() * 60) }, () => [any(), any(), any()]);
    const names = [0, 1, 2, UNNAMED];
    const boundary = facets.map(() => names[Math.floor(roll() * 4)]);
    const segments = [0, 1, 2, 3].map(() => Array.from({ length: Math.floor(roll() * 5) }, () => [any(), any()]));
    const curves = Array.from({ length: Math.floor(roll() * 5) }, () => [any(), any()]);
    const read = decode(encode({ points, facets, boundary, segments, curves }));
    assert.deepEqual([...read.facets], facets.flat());
    assert.deepEqual([...read.boundary], boundary);
    const lists = [read.open, read.overshared, read.misdirected, read.outlines];
    assert.deepEqual(
      lists.map((list) => [...list]),
      segments.map((list) => list.flat()),
    );
    points.flat().forEach((x, i) => {
      const size = read.max[i % 3] - read.min[i % 3];
      // A step of the box, and what single precision loses.
      const within = size / STEPS + 2e-7 * Math.max(Math.abs(read.min[i % 3]), Math.abs(read.max[i % 3]));
      assert.ok(Math.abs(read.points[i] - x) <= within, `${read.points[i]} for ${x}`);
    });
  }
});

test("a chunk of points comes with places of the box and colours", () => {
  const points = [
    [0, 0, 0],
    [10, 20, 30],
  ];
  const whole = STEPS;
  const place = (x: number, y: number, z: number) => {
    const packed = BigInt(x) | (BigInt(y) << 21n) | (BigInt(z) << 42n);
    return [Number(packed & 0xffffffffn), Number(packed >> 32n)];
  };
  const words = [2, 1, ...place(0, whole, 0), ...place(whole, 0, whole), 0x030201, 0xff0080];
  const chunk = [0x53544e50, words.length, ...words];
  const none = { facets: [], boundary: [], segments: [[], [], [], []], curves: [] };
  const read = decode(encode({ points, ...none, chunks: [chunk, [0x58585858, 1, 7]] }));
  assert.deepEqual(
    read.chunks.map((c) => c.tag),
    ["PNTS", "XXXX"],
  );
  const { place: at, tint } = decodePoints(read.chunks[0].words, read);
  [0, 20, 0, 10, 0, 30].forEach((x, i) => assert.ok(Math.abs(at[i] - x) < 1e-4));
  assert.deepEqual([...tint], [1, 2, 3, 0x80, 0, 0xff]);
  const plain = decodePoints(new Uint32Array([1, 0, ...place(0, 0, 0)]), read);
  assert.deepEqual([...plain.tint], [0x1c, 0x2b, 0x3a]);
});

test("splats come in texels, and in the order of their depths from any side", () => {
  const box = { min: [0, 0, 0], max: [STEPS, STEPS, STEPS] } as Box;
  const words = new Uint32Array([2, 5, 0, 9, 0, 11, 12, 21, 22, 31, 32, 41, 42, 43, 51, 52, 53]);
  const { place, texels } = decodeSplats(words, box);
  assert.deepEqual([...place], [5, 0, 0, 9, 0, 0]);
  assert.deepEqual([...texels.subarray(15, 21)], [32, 12, 22, 51, 52, 53]);
  const roll = dice(3);
  const many = Float32Array.from({ length: 3000 }, () => roll() * 10);
  const order = new Uint32Array(1000);
  for (const gaze of [
    [1, 0, 0],
    [0, -1, 0],
    [0.6, 0, -0.8],
  ]) {
    farthestFirst(many, gaze, order);
    const depth = (i: number) => gaze.reduce((sum, x, k) => sum + x * many[3 * i + k], 0);
    assert.equal(new Set(order).size, 1000);
    for (let i = 1; i < 1000; i++) assert.ok(depth(order[i - 1]) >= depth(order[i]) - 1e-3);
  }
});

test("a chunk of lines comes as the ends of its pieces", () => {
  const box = { min: [0, 0, 0], max: [STEPS, STEPS, STEPS] } as Box;
  const place = (x: number, y: number) => [x | ((y & 0x7ff) << 21), y >>> 11];
  // A line of three points, one of one point that has no piece, one of two.
  const words = new Uint32Array([3, 3, 1, 2, ...[1, 2, 3, 9, 5, 6].flatMap((i) => place(i, 10 * i))]);
  const ends = (i: number) => [i, 10 * i, 0];
  assert.deepEqual([...decodeLines(words, box)], [1, 2, 2, 3, 5, 6].flatMap(ends));
  assert.equal(decodeLines(new Uint32Array([0]), box).length, 0);
});

test("bytes that are no geometry are refused", () => {
  assert.throws(() => decode(new ArrayBuffer(64)), /cannot be read/);
  assert.throws(() => decode(new ArrayBuffer(63)));
});

test("facets are ordered by group, each once, in their own order", () => {
  for (let seed = 1; seed <= 50; seed++) {
    const roll = dice(seed);
    const keys = Uint32Array.from({ length: Math.floor(roll() * 300) }, () =>
      roll() < 0.2 ? UNNAMED : Math.floor(roll() * 5),
    );
    const { order, groups } = grouped(keys);
    assert.deepEqual(
      [...order].sort((a, b) => a - b),
      [...keys.keys()],
    );
    let at = 0;
    for (const { key, start, count } of groups) {
      assert.equal(start, at);
      const mine = [...order.subarray(start, start + count)];
      assert.deepEqual(
        mine,
        [...keys.keys()].filter((f) => keys[f] === key),
      );
      at += count;
    }
    assert.equal(at, keys.length);
  }
});

test("numbers and letters read as the server writes them", () => {
  assert.equal(short(0), "0");
  assert.equal(short(-1234.5678), "−1\u2009235");
  assert.equal(short(0.25), "0.25");
  assert.equal(short(1234567), "1\u2009234\u2009567");
  assert.deepEqual([0, 25, 26, 51, 52, 701, 702].map(letter), ["A", "Z", "AA", "AZ", "BA", "ZZ", "AAA"]);
});
