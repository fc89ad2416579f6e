// What is spoken of, drawn over the body: highlights, previews, and the handles of a move.
import assert from "node:assert/strict";
import { test } from "node:test";
import { LineSegments, Mesh, Quaternion, Vector3 } from "three";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import type { Geometry } from "../src/geometry";
import { drawHandles } from "../src/handle_marks";
import { ARC, type Axes, BAR, grips, WORLD } from "../src/handles";
import { dispose, drawn } from "../src/highlight";
import type { Overlay } from "../src/overlay";
import { showPreview } from "../src/preview";
import type { Place } from "../src/scene";
import type { View } from "../src/view";
import { MIDDLE, scene, screen, stage } from "./bench";
import { encode } from "./surface";

/** A strip of facets, two a square. */
function strip(squares: number, z = 0): Geometry {
  const points = Array.from({ length: squares + 1 }, (_, i) => [i, 0, z, i, 1, z]).flat();
  const facets = Array.from({ length: squares }, (_, i) => [2 * i, 2 * i + 2, 2 * i + 1, 2 * i + 1, 2 * i + 2, 2 * i + 3]).flat(); // prettier-ignore
  return { points: Float32Array.from(points), facets: Uint32Array.from(facets), min: [0, 0, 0], max: [squares, 1, z] } as unknown as Geometry; // prettier-ignore
}

test("a highlight has the facets that it is of, with their edges where they are asked for, and its lines", () => {
  const g = strip(3);
  assert.equal(drawn(g, { colour: 1, opacity: 1 }), null, "of nothing there is none");
  const root = drawn(g, { facets: [5, 0], segments: [[[0, 0, 0], [1, 2, 3]]], colour: 0xff0000, opacity: 0.5, edges: true })!; // prettier-ignore
  const [faces, edges, lines] = root.children as [Mesh, LineSegments, LineSegments2];
  assert.deepEqual([...faces.geometry.index!.array], [5, 6, 7, 0, 2, 1]);
  assert.deepEqual([...edges.geometry.index!.array], [5, 6, 6, 7, 7, 5, 0, 2, 2, 1, 1, 0]);
  assert.equal(faces.geometry.getAttribute("position").array, g.points, "points are not copied");
  assert.ok(lines instanceof LineSegments2 && lines.renderOrder > edges.renderOrder);
  let given = 0;
  for (const child of root.children as Mesh[]) child.geometry.addEventListener("dispose", () => given++);
  dispose(root);
  assert.equal(given, 3, "what it holds is given back");
  assert.equal(drawn(g, { facets: [1], colour: 1, opacity: 1 })!.children.length, 1);
});

test("a preview whose state before cannot be fetched is refused to who asked, and leaves nothing behind", async () => {
  const bench = stage();
  const after = strip(5);
  const overlay = { changes: "" } as Overlay;
  const fetched: string[] = [];
  globalThis.fetch = (async (address: string) => {
    fetched.push(address);
    return new Response("", { status: 404 });
  }) as typeof fetch;
  Object.assign(bench.view, { drawing: { geometry: after } });
  await showPreview(bench.view, overlay, scene());
  assert.deepEqual([fetched, overlay.changes], [[], ""], "no preview is shown");
  // What cannot be fetched is told by who asked for it.
  await assert.rejects(showPreview(bench.view, overlay, scene({ preview: true, revision: 9, now: 7 })));
  assert.match(fetched[0], /^\/geometry\/7\/view/);
  assert.equal(overlay.changes, "");
  await showPreview(bench.view, overlay, scene());
  assert.deepEqual(bench.done.slice(-3), ["highlight new null", "highlight gone null", "redraw "].map((d) => d.trim())); // prettier-ignore
});

test("a preview is told by what is new and what is gone, and only while it is shown", async () => {
  const bench = stage();
  const overlay = { changes: "" } as Overlay;
  const now = strip(3);
  const list = (g: Geometry, numbers: "points" | "facets") =>
    Array.from({ length: g[numbers].length / 3 }, (_, i) => [...g[numbers].subarray(3 * i, 3 * i + 3)]);
  const none = { boundary: [0, 0, 0, 0, 0, 0], segments: [[], [], [], []], curves: [] };
  const sent = encode({ points: list(now, "points"), facets: list(now, "facets"), ...none });
  let meanwhile = () => undefined as void;
  globalThis.fetch = (async () => (meanwhile(), new Response(sent))) as typeof fetch;
  const facets = (numbers: number[]) => Uint32Array.from(numbers.flatMap((f) => [...now.facets.subarray(3 * f, 3 * f + 3)])); // prettier-ignore
  const previewed = async (drawing: Partial<Geometry>, revision: number) => {
    Object.assign(bench.view, { drawing: { geometry: { ...now, ...drawing } } });
    await showPreview(bench.view, overlay, scene({ preview: true, revision, now: 7 }));
    return overlay.changes;
  };
  assert.equal(await previewed({}, 9), "Preview: no facet differs");
  assert.equal(await previewed({ facets: facets([0, 1, 2, 3, 5]) }, 10), "Preview: 1 facet gone, plum");
  // Another diagonal in the first square: both its facets are others.
  const turned = { facets: Uint32Array.from([0, 2, 3, 0, 3, 1, ...facets([2, 3, 4, 5])]) };
  assert.equal(await previewed(turned, 11), "Preview: 2 facets new, blue; 2 facets gone, plum");
  assert.deepEqual(bench.done.filter((d) => /highlight (new|gone)/.test(d)).length, 3 * 4, "cleared, then drawn");
  // The same again changes nothing; and what came too late is not told.
  bench.done.length = 0;
  assert.equal(await previewed({}, 11), "Preview: 2 facets new, blue; 2 facets gone, plum");
  assert.deepEqual(bench.done, []);
  meanwhile = () => {
    meanwhile = () => undefined;
    void showPreview(bench.view, overlay, scene());
  };
  assert.equal(await previewed(turned, 12), "", "it was dropped while it was compared");
  // A body without facets, as points are, is shown as it is.
  assert.equal(await previewed({ facets: new Uint32Array() }, 13), "");
});

/** What was drawn of handles: each element with its attributes. */
function handlesOf(
  axes: Axes,
  at: Vector3,
  gaze: Place = [0, 0, -1],
  dragged: ReturnType<typeof grips>[number] | null = null,
) {
  // prettier-ignore
  const drawnThere: { tag: string; a: Record<string, string | number> }[] = [];
  const letters: { x: number; y: number; text: string }[] = [];
  const overlay = {
    add: (tag: string, a: Record<string, string | number>) => drawnThere.push({ tag, a }),
    text: (x: number, y: number, text: string) => letters.push({ x, y, text }),
  };
  const view = { pixel: () => 1, screen, gaze: () => gaze } as unknown as View;
  drawHandles({ overlay, view } as never, at, axes, dragged, null, "xyz");
  return { drawnThere, letters };
}

test("grips stand where they are taken: bars at their reach, arcs between two axes", () => {
  const at = new Vector3(40, -30, 5);
  const { drawnThere, letters } = handlesOf(WORLD, at);
  const [x, y] = screen([40, -30, 5]);
  const bars = drawnThere.filter((d) => d.tag === "rect").map((d) => [Number(d.a.x) + 9 - x, y - Number(d.a.y) - 9]);
  assert.deepEqual(bars, [[BAR, 0], [0, BAR]], "the bar that points at the eye is not there"); // prettier-ignore
  const arcs = drawnThere.filter((d) => d.tag === "circle" && d.a.r === 9);
  assert.equal(arcs.length, 1, "nor are the arcs that are seen on edge");
  const off = [Number(arcs[0].a.cx) - x, y - Number(arcs[0].a.cy)];
  assert.ok(Math.abs(Math.hypot(...off) - ARC) < 1e-9 && Math.abs(off[0] - off[1]) < 1e-9);
  assert.deepEqual(
    letters.map((l) => l.text),
    ["x", "y", "z°"],
  );
  assert.ok(drawnThere.every((d) => Object.values(d.a).every((v) => !/NaN|undefined/.test(String(v)))));
});

test("what is dragged stands out, and what stands askew has all of its grips", () => {
  const turn = new Quaternion().setFromAxisAngle(new Vector3(1, 2, 3).normalize(), 1);
  const axes = WORLD.map((a) => a.clone().applyQuaternion(turn)) as Axes;
  const { drawnThere, letters } = handlesOf(axes, new Vector3(), [0, 0, -1], { kind: "arc", axis: 1 });
  assert.deepEqual(letters.map((l) => l.text).sort(), ["x", "x°", "y", "y°", "z", "z°"]);
  const marked = drawnThere.filter((d) => d.a.class === "grip" && d.a.fill === "var(--color-met)");
  assert.deepEqual(marked.map((d) => d.tag), ["circle"]); // prettier-ignore
  const middle = drawnThere.find((d) => d.tag === "circle" && d.a.r === 4)!;
  assert.deepEqual([middle.a.cx, middle.a.cy], MIDDLE);
});
