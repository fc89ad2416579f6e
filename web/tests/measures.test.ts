// What is measured and highlighted in the view, against closed forms.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Raycaster, Vector3 } from "three";
import { across, reachOf, region, rims } from "../src/adjacency";
import { Eye } from "../src/camera";
import { missing } from "../src/changes";
import { angleAt, circleAlong, circleThrough, edgeAlong } from "../src/circle";
import { covers, crossing, meeting } from "../src/meeting";
import { fitting } from "../src/splitter";
import { betweenFaces } from "../src/tools/measure";
import type { Place } from "../src/scene";
import { body } from "./surface";

type Three = [Place, Place, Place];

const cube = () => {
  const points = [0, 1, 2, 3, 4, 5, 6, 7].map((i) => [i & 1, (i >> 1) & 1, i >> 2] as Place);
  const quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]; // prettier-ignore
  return body(points, quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d])); // prettier-ignore
};

test("a region is a side of a cube below a right angle and all of it from there", () => {
  const g = cube();
  const next = across(g.facets);
  assert.ok(next.every((f) => f >= 0));
  assert.deepEqual([...region(g, next, 3, 20)].sort(), [2, 3]);
  assert.equal(region(g, next, 3, 90).length, 12);
});

test("nothing is across an edge of three facets", () => {
  const g = body([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1]], [0, 1, 2, 1, 0, 3, 0, 1, 4]); // prettier-ignore
  assert.ok(across(g.facets).every((f) => f === -1));
});

test("facets that cross have their piece of line, those that touch have none", () => {
  const flat: Three = [[0, 0, 0], [4, 0, 0], [0, 4, 0]]; // prettier-ignore
  const upright: Three = [[1, 1, -1], [1, 1, 2], [2, 1, -1]]; // prettier-ignore
  const piece = crossing(flat, upright)!;
  assert.ok(piece.every((p) => Math.abs(p[2]) < 1e-12 && Math.abs(p[1] - 1) < 1e-12));
  assert.ok(Math.abs(Math.abs(piece[0][0] - piece[1][0]) - 2 / 3) < 1e-12);
  assert.equal(crossing(flat, upright.map((p) => [p[0], p[1], p[2] + 5]) as Three), null); // prettier-ignore
  assert.equal(covers(flat, [[1, 1, 0], [2, 1, 0], [1, 2, 0]], 1e-6), true); // prettier-ignore
  assert.equal(covers(flat, [[4, 0, 0], [4, 4, 0], [0, 4, 0]], 1e-6), false); // prettier-ignore
  const g = body([...flat, ...upright], [0, 1, 2, 3, 4, 5]);
  assert.deepEqual([...meeting(g, [1, 1, 0], 1, "cross").facets].sort(), [0, 1]);
});

test("circles are those of their radius, centre and edge", () => {
  const at = (t: number): Place => [3 + 5 * Math.cos(t), 2, 5 * Math.sin(t) - 1];
  const { centre, radius } = circleThrough(at(0.1), at(1.2), at(4))!;
  assert.ok(Math.abs(radius - 5) < 1e-12 && Math.hypot(centre[0] - 3, centre[1] - 2, centre[2] + 1) < 1e-12);
  assert.equal(circleThrough([0, 0, 0], [1, 1, 1], [2, 2, 2]), null);
  const rim = Array.from({ length: 24 }, (_, i) => at((i * Math.PI) / 12));
  const ring = rim.flatMap((_, i) => [i, (i + 1) % 24]);
  const along = edgeAlong(body(rim, [0, 1, 2], ring), 7);
  assert.equal(along.length, 24);
  assert.ok(Math.abs(circleAlong(along)!.radius - 5) < 1e-6);
  assert.equal(circleAlong([[0, 0, 0], [1, 0, 0], [1, 1, 0], [2, 1, 0], [2, 5, 0], [0, 5, 0]]), null); // prettier-ignore
  assert.ok(Math.abs(angleAt([1, 0, 0], [0, 0, 0], [1, 1, 0]) - 45) < 1e-9);
  assert.deepEqual(betweenFaces([0, 0, 2], [0, 0, -1]), { planes: 0, outward: 180 });
});

test("what a preview adds and takes away is what differs", () => {
  const [before, after] = [cube(), cube()];
  after.facets = Uint32Array.from([...after.facets.slice(3), 0, 1, 7]);
  assert.deepEqual([...missing(after, before)], [11]);
  assert.deepEqual([...missing(before, after)], [0]);
});

test("rims are the closed lines of open edges", () => {
  const found = rims(Uint32Array.from([0, 1, 5, 6, 1, 2, 2, 0, 6, 7, 7, 5]));
  assert.deepEqual(found.map((r) => [...r].sort()), [[0, 1, 2], [5, 6, 7]]); // prettier-ignore
  const { at, radius } = reachOf(cube(), [0, 7])!;
  assert.deepEqual([at, radius], [[0.5, 0.5, 0.5], Math.sqrt(3) / 2]);
});

test("in perspective, the place looked at stays as large and under the pointer", () => {
  const eye = new Eye();
  Object.assign(eye, { left: -4, right: 4, top: 3, bottom: -3 });
  eye.setDistance(20);
  eye.position.set(0, 0, 20);
  eye.zoom = 1.5;
  eye.updateMatrixWorld();
  const place = new Vector3(1.1, -0.7, 0);
  eye.updateProjectionMatrix();
  const before = place.clone().project(eye);
  eye.setPerspective(true);
  const after = place.clone().project(eye);
  assert.ok(Math.hypot(before.x - after.x, before.y - after.y) < 1e-12 && Math.abs(after.z) < 1e-12);
  // Nearer is larger.
  assert.ok(new Vector3(1, 0, 5).project(eye).x > new Vector3(1, 0, 0).project(eye).x);
  const ray = new Raycaster();
  eye.aim(ray, after.x, after.y);
  assert.ok(ray.ray.distanceToPoint(place) < 1e-9);
});

test("the sheet leaves room for the view", () => {
  assert.equal(fitting(10, 1280), 320);
  assert.equal(fitting(5000, 1280), 768);
});
