// What the view works out of facets and lines, drawn at random and held against trying all.
import assert from "node:assert/strict";
import { test } from "node:test";
import { across, facing, region, rims } from "../src/adjacency";
import { spread } from "../src/anchors";
import { circleAlong, circleThrough, edgeAlong, edgeNear } from "../src/circle";
import { decode, type Geometry, UNNAMED } from "../src/geometry";
import { covers, crossing, near } from "../src/meeting";
import { enclosed, nearest, snappedTo } from "../src/members";
import type { Place } from "../src/scene";
import { cross, dot, minus } from "../src/vector";
import { body } from "./surface";

type Triangle = [Place, Place, Place];
type Dot = [number, number];

/** The same numbers at every run: a linear congruence (D. E. Knuth's MMIX constants, in 32 bits). */
function dice(seed: number) {
  let state = BigInt(seed);
  const roll = () => {
    state = BigInt.asUintN(64, state * 6364136223846793005n + 1442695040888963407n);
    return Number(state >> 33n) / 2 ** 31;
  };
  const below = (n: number) => Math.floor(n * roll());
  const place = (size = 10): Place => [0, 0, 0].map(() => size * (roll() - 0.5)) as Place;
  return { roll, below, place };
}

/** Facets of three different points each, among so few that edges have one, two and more. */
function soup({ below, place }: ReturnType<typeof dice>): Geometry {
  const points = Array.from({ length: 5 + below(8) }, () => place());
  const facets = Array.from({ length: 1 + below(30) }, () => {
    const some = new Set<number>();
    while (some.size < 3) some.add(below(points.length));
    return [...some];
  });
  return body(points, facets.flat());
}

/** The facets that have both ends of the k-th edge of a facet, itself left out. */
function others(g: Geometry, f: number, k: number): number[] {
  const ends = [g.facets[3 * f + k], g.facets[3 * f + ((k + 1) % 3)]];
  const has = (h: number) => ends.every((p) => g.facets.subarray(3 * h, 3 * h + 3).includes(p));
  return Array.from({ length: g.facets.length / 3 }, (_, h) => h).filter((h) => h !== f && has(h));
}

test("across an edge is the one other facet that has it, if there is one", () => {
  const d = dice(1);
  for (let round = 0; round < 200; round++) {
    const g = soup(d);
    const found = across(g.facets);
    for (let i = 0; i < g.facets.length; i++) {
      const all = others(g, Math.floor(i / 3), i % 3);
      assert.equal(found[i], all.length === 1 ? all[0] : -1, `round ${round}, edge ${i}`);
    }
  }
});

test("a region is what hangs together over edges that turn little enough, whichever facet it is grown from", () => {
  const d = dice(2);
  for (let round = 0; round < 60; round++) {
    const g = soup(d);
    const angle = [10, 40, 90, 180][round % 4];
    const next = across(g.facets);
    const turns = (f: number, h: number) => {
      const [n, m] = [f, h].map((x) => facing(g, x));
      return (Math.acos(Math.max(-1, Math.min(1, dot(n, m) / (Math.hypot(...n) * Math.hypot(...m))))) * 180) / Math.PI;
    };
    const count = g.facets.length / 3;
    // Numbers of sets, joined until nothing changes.
    const set = Array.from({ length: count }, (_, f) => f);
    for (let changed = true; changed;) {
      changed = false;
      for (let f = 0; f < count; f++)
        for (let k = 0; k < 3; k++) {
          const [only, ...more] = others(g, f, k);
          if (only === undefined || more.length > 0 || turns(f, only) > angle) continue;
          const least = Math.min(set[f], set[only]);
          if (set[f] !== set[only]) changed = true;
          [set[f], set[only]] = [least, least];
        }
    }
    const seed = d.below(count);
    const wanted = set.flatMap((s, f) => (s === set[seed] ? [f] : []));
    assert.deepEqual([...region(g, next, seed, angle)].sort((a, b) => a - b), wanted); // prettier-ignore
  }
});

test("rims hold every point of an open edge once, and the ends of each edge together", () => {
  const d = dice(3);
  for (let round = 0; round < 100; round++) {
    const open = Uint32Array.from({ length: 2 * d.below(20) }, () => d.below(25));
    const found = rims(open);
    assert.deepEqual(found.flat().sort((a, b) => a - b), [...new Set(open)].sort((a, b) => a - b)); // prettier-ignore
    const of = (p: number) => found.findIndex((rim) => rim.includes(p));
    for (let i = 0; i < open.length; i += 2) assert.equal(of(open[i]), of(open[i + 1]));
    // Points of one rim are reached from its first over edges.
    for (const rim of found) {
      const reached = new Set([rim[0]]);
      for (let n = 0; n < rim.length; n++)
        for (let i = 0; i < open.length; i += 2) {
          const ends = [open[i], open[i + 1]];
          if (ends.some((p) => reached.has(p))) ends.forEach((p) => reached.add(p));
        }
      assert.equal(reached.size, rim.length);
    }
  }
});

/** Whether a place lies in a triangle and its plane: it parts it into three that have its area together. */
function liesIn(p: Place, t: Triangle): boolean {
  const area = ([a, b, c]: Triangle) => Math.hypot(...cross(minus(b, a), minus(c, a))) / 2;
  const parts = [0, 1, 2].reduce((sum, k) => sum + area([t[k], t[(k + 1) % 3], p]), 0);
  return Math.abs(parts - area(t)) < 1e-6 * (1 + area(t));
}

test("triangles cross where a place of one lies on either side of the other, along a line that is in both", () => {
  const d = dice(4);
  let crossed = 0;
  for (let round = 0; round < 2000; round++) {
    const [s, t] = [0, 0].map(() => [d.place(), d.place(), d.place()] as Triangle);
    const found = crossing(s, t);
    assert.equal(crossing(t, s) === null, found === null, "both ways");
    // A side of one goes through the other: by the volumes of the five tetrahedra (signs of triple products).
    const volume = (a: Place, b: Place, c: Place, e: Place) => dot(cross(minus(b, a), minus(c, a)), minus(e, a));
    const pierces = (p: Place, q: Place, [a, b, c]: Triangle) => {
      const sides = [volume(p, q, a, b), volume(p, q, b, c), volume(p, q, c, a)];
      return volume(a, b, c, p) * volume(a, b, c, q) < 0 && (sides.every((v) => v > 0) || sides.every((v) => v < 0));
    };
    const any = (one: Triangle, other: Triangle) => [0, 1, 2].some((k) => pierces(one[k], one[(k + 1) % 3], other));
    assert.equal(found !== null, any(s, t) || any(t, s), `round ${round}`);
    if (found) crossed++;
    for (const p of found ?? []) assert.ok(liesIn(p, s) && liesIn(p, t), `round ${round}`);
  }
  assert.ok(crossed > 100, `${crossed} of 2000 crossed`);
});

/** What two triangles of a plane cover both: one clipped by the sides of the other (I. Sutherland and G. Hodgman, 1974). */
function common(s: Dot[], t: Dot[]): number {
  const turn = (a: Dot, b: Dot, c: Dot) => (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  const way = Math.sign(turn(s[0], s[1], s[2]));
  let left = t;
  for (let k = 0; k < 3; k++) {
    const [a, b] = [s[k], s[(k + 1) % 3]];
    const off = (p: Dot) => way * turn(a, b, p);
    left = left.flatMap((p, i) => {
      const q = left[(i + 1) % left.length];
      const [x, y] = [off(p), off(q)];
      const cut = [0, 1].map((c) => p[c] + (x / (x - y)) * (q[c] - p[c])) as Dot;
      return [...(x >= 0 ? [p] : []), ...(x * y < 0 ? [cut] : [])];
    });
  }
  const area = left.reduce((sum, p, i) => sum + turn([0, 0], p, left[(i + 1) % left.length]), 0);
  return Math.abs(area) / 2;
}

test("triangles of a plane cover some of it both where one clipped by the other leaves something", () => {
  const d = dice(5);
  let both = 0;
  for (let round = 0; round < 2000; round++) {
    const [u, v] = [d.place(), d.place()];
    const [s, t] = [0, 0].map(() => [0, 0, 0].map(() => [d.below(7), d.below(7)] as Dot));
    const lift = ([x, y]: Dot) => [0, 1, 2].map((k) => 3 + x * u[k] + y * v[k]) as Place;
    const area = (p: Dot[]) => common(p, p);
    if (area(s) === 0 || area(t) === 0) continue;
    const expected = common(s, t) > 1e-9;
    both += Number(expected);
    const found = covers(s.map(lift) as Triangle, t.map(lift) as Triangle, 1e-9);
    assert.equal(found, expected, `${JSON.stringify(s)} and ${JSON.stringify(t)}`);
    const off = cross(u, v);
    const away = t.map((p) => lift(p).map((x, k) => x + off[k]) as Place) as Triangle;
    assert.equal(covers(s.map(lift) as Triangle, away, 1e-9), false, "in a plane beside it");
  }
  assert.ok(both > 300);
});

test("facets whose box reaches into a ball are tried, and all that reach into it are among them", () => {
  const d = dice(6);
  for (let round = 0; round < 100; round++) {
    const g = soup(d);
    const [at, radius] = [d.place(), 4 * d.roll()];
    const found = new Set(near(g, at, radius));
    for (let f = 0; f < g.facets.length / 3; f++) {
      const corners = [0, 1, 2].map((k) => [
        ...g.points.subarray(3 * g.facets[3 * f + k], 3 * g.facets[3 * f + k] + 3),
      ]);
      // Places of a grid over the facet.
      for (let i = 0; i <= 6; i++)
        for (let j = 0; j <= 6 - i; j++) {
          const p = [0, 1, 2].map((k) => (i * corners[0][k] + j * corners[1][k] + (6 - i - j) * corners[2][k]) / 6);
          if (Math.hypot(...minus(p as Place, at)) < radius) assert.ok(found.has(f), `round ${round}, facet ${f}`);
        }
    }
  }
});

test("an edge goes on to where it branches or ends, all around where it is a ring, from any of its segments", () => {
  const d = dice(7);
  for (let round = 0; round < 100; round++) {
    // A ring of n corners and a line of m more from its first, their segments in no order and either way round.
    const [n, m] = [3 + d.below(20), d.below(6)];
    const points = Array.from({ length: n + m }, () => d.place());
    const segments = [
      ...Array.from({ length: n }, (_, i) => [i, (i + 1) % n]),
      ...Array.from({ length: m }, (_, i) => [i === 0 ? 0 : n + i - 1, n + i]),
    ];
    for (let i = segments.length - 1; i > 0; i--) {
      const j = d.below(i + 1);
      [segments[i], segments[j]] = [segments[j], segments[i]];
    }
    const outlines = segments.flatMap((s) => (d.roll() < 0.5 ? s : [...s].reverse()));
    const g = body(points, [], outlines);
    const k = d.below(segments.length);
    const number = (p: Place) => points.findIndex((q) => q.every((x, c) => Math.fround(x) === p[c]));
    const along = edgeAlong(g, k).map(number);
    const onRing = segments[k].every((p) => p < n);
    if (!onRing)
      assert.equal([...along].sort((a, b) => a - b).join(), [0, ...Array.from({ length: m }, (_, i) => n + i)].join()); // prettier-ignore
    else {
      assert.equal(new Set(along).size, n, "every corner");
      // Neighbours in the list are ends of a segment.
      for (let i = 1; i < along.length; i++)
        assert.ok(
          segments.some((s) => s.includes(along[i - 1]) && s.includes(along[i])),
          `${along}`,
        );
    }
  }
});

test("the edge nearest to a place is the nearest of all, if it is near enough", () => {
  const d = dice(8);
  for (let round = 0; round < 100; round++) {
    const points = Array.from({ length: 12 }, () => d.place());
    const outlines = Array.from({ length: 2 * (1 + d.below(10)) }, () => d.below(12));
    const g = body(points, [], outlines);
    const at = d.place();
    const off = (s: number) => {
      const [a, b] = [0, 1].map((e) => points[outlines[2 * s + e]]);
      // The least over a fine division: no more than its share of the length too far.
      const steps = 2000;
      return Math.min(...Array.from({ length: steps + 1 }, (_, i) => Math.hypot(...[0, 1, 2].map((k) => a[k] + (i / steps) * (b[k] - a[k]) - at[k])))); // prettier-ignore
    };
    const all = Array.from({ length: outlines.length / 2 }, (_, s) => off(s));
    const least = Math.min(...all);
    const found = edgeNear(g, at, 100);
    assert.ok(found !== null && all[found] < least + 1e-2);
    assert.equal(edgeNear(g, at, least - 1e-2), null);
  }
});

test("circles come back from places on them, wherever they stand, and no other outline is one", () => {
  const d = dice(9);
  for (let round = 0; round < 200; round++) {
    const [centre, radius] = [d.place(100), 0.1 + 20 * d.roll()];
    const [u, w] = [d.place(), d.place()];
    const x = u.map((a) => a / Math.hypot(...u)) as Place;
    const n = cross(x, w);
    const y = cross(n, x).map((a) => a / Math.hypot(...cross(n, x))) as Place;
    const on = (angle: number, r = radius) => centre.map((c, k) => c + r * (Math.cos(angle) * x[k] + Math.sin(angle) * y[k])) as Place; // prettier-ignore
    const [begin, part, many] = [7 * d.roll(), 1 + 5 * d.roll(), 5 + d.below(60)];
    const arc = Array.from({ length: many }, (_, i) => on(begin + (part * i) / many));
    const close = (found: ReturnType<typeof circleThrough>) => {
      assert.ok(found, "a circle");
      assert.ok(Math.abs(found.radius - radius) < 1e-6 * radius);
      assert.ok(Math.hypot(...minus(found.centre, centre)) < 1e-6 * radius);
    };
    close(circleThrough(on(begin), on(begin + 1), on(begin + 3)));
    close(circleAlong(arc));
    const dented = arc.map((p, i) => (i === many - 1 ? on(begin + (part * i) / many, 1.05 * radius) : p));
    assert.equal(circleAlong(dented), null);
    assert.equal(circleAlong(arc.slice(0, 4)), null, "too few to tell");
  }
  assert.equal(circleThrough([0, 0, 0], [1, 1, 1], [3, 3, 3]), null, "on a line");
});

test("facets that are tried of a group are of it, as many as asked, from all over it", () => {
  const d = dice(10);
  for (let round = 0; round < 100; round++) {
    const group = Uint32Array.from({ length: 1 + d.below(400) }, () => (d.roll() < 0.1 ? UNNAMED : d.below(4)));
    const most = 1 + d.below(40);
    spread(group, 4, most).forEach((facets, key) => {
      const own = [...group.keys()].filter((f) => group[f] === key);
      assert.equal(facets.length, Math.min(most, own.length));
      assert.ok(facets.every((f) => group[f] === key));
      assert.deepEqual(facets, [...new Set(facets)].sort((a, b) => a - b)); // prettier-ignore
      // Between two that are tried are no more than a share of all.
      const places = facets.map((f) => own.indexOf(f));
      const share = Math.ceil(own.length / Math.max(1, facets.length));
      places.slice(1).forEach((at, i) => assert.ok(at - places[i] <= share));
    });
  }
});

test("the member under the pointer is the nearest on the screen, and its joints, middle and thirds attract", () => {
  const d = dice(11);
  const screen = ([x, y]: Place): Dot => [10 * x + 200, 200 - 10 * y];
  for (let round = 0; round < 200; round++) {
    const pieces = Array.from({ length: 1 + d.below(12) }, () => [d.place(40), d.place(40)] as [Place, Place]);
    const at: Dot = [400 * d.roll(), 400 * d.roll()];
    const off = ([a, b]: [Place, Place], t: number) => {
      const [p, q] = [a, b].map(screen);
      return Math.hypot(p[0] + t * (q[0] - p[0]) - at[0], p[1] + t * (q[1] - p[1]) - at[1]);
    };
    const least = (piece: [Place, Place]) => Math.min(...Array.from({ length: 4001 }, (_, i) => off(piece, i / 4000)));
    const all = pieces.map(least);
    const found = nearest(pieces, screen, at);
    if (!found) assert.ok(Math.min(...all) > 10 - 0.2);
    else {
      assert.ok(all[found.piece] <= Math.min(...all) + 0.2);
      assert.ok(off(pieces[found.piece], found.share) <= all[found.piece] + 1e-9);
      const to = snappedTo(pieces[found.piece], screen, at, found.share);
      const marks = [0, 1 / 3, 1 / 2, 2 / 3, 1].filter((t) => off(pieces[found.piece], t) <= 10);
      assert.equal(to.to === "place on a member", marks.length === 0);
    }
  }
});

test("an outline encloses the members both of whose ends it goes around", () => {
  const d = dice(12);
  const screen = ([x, y]: Place): Dot => [x, y];
  for (let round = 0; round < 200; round++) {
    const outline = Array.from({ length: 3 + d.below(5) }, () => d.place().slice(0, 2) as Dot);
    const joints = Array.from({ length: 6 }, () => d.place());
    const pieces = Array.from({ length: 8 }, () => [joints[d.below(6)], joints[d.below(6)]] as [Place, Place]);
    // How often the outline turns about a place, by the angles under which it sees the sides: odd is inside.
    const inside = (p: Place) => {
      const turned = outline.reduce((sum, b, i) => {
        const [a, q] = [outline.at(i - 1)!, p];
        const [u, v] = [a, b].map((c) => [c[0] - q[0], c[1] - q[1]]);
        return sum + Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]);
      }, 0);
      return Math.abs(Math.round(turned / (2 * Math.PI))) % 2 === 1;
    };
    const wanted = pieces.flatMap((piece, i) => (piece.every(inside) ? [i] : []));
    const ends = new Set(pieces.flat().filter(inside)).size;
    assert.deepEqual(enclosed(pieces, screen, outline), { pieces: wanted, ends });
  }
});

test("bytes that are no geometry are refused, and none of the server's words is read beyond", () => {
  assert.throws(() => decode(new ArrayBuffer(64)), /cannot be read/);
  assert.throws(() => decode(new Uint32Array([0x31564853, ...new Array<number>(20).fill(0)]).buffer), /cannot be read/);
  const empty = decode(new Uint32Array([0x31564852, ...new Array<number>(20).fill(0)]).buffer);
  assert.deepEqual([empty.points.length, empty.facets.length, empty.chunks.length], [0, 0, 0]);
});
