// Places that are visited, outlines that are drawn, views that are looked from, and how a body is said to stand.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Quaternion, Vector3 } from "three";
import type { Finding, Place } from "../src/scene";
import { arrows, look, whole } from "../src/tools/look";
import { mark } from "../src/tools/mark";
import { places } from "../src/tools/places";
import { stand } from "../src/tools/stand";
import { hitAt, MIDDLE, scene, stage, type Stage } from "./bench";
import { input, part, tick } from "./page";

const finding = (kind: string, at: Place, text: string): Finding => ({ kind, at, radius: 2, from: [0, 0, 1], text });
const FINDINGS = [
  finding("folds", [1, 0, 0], "first"),
  finding("open_edges", [50, 0, 0], "gap"),
  finding("folds", [0, 9, 0], "third"),
];
const ROWS = `<p id="place-text" data-places="0 2"></p><b id="place-now"></b><button data-step-place="1"></button>
  <i class="finding" data-finding="0"></i><i class="finding" data-finding="2" tabindex="0"></i><a data-visit="52,1,0">hole</a>
  <tr data-boundary="0"><td id="cell"></td></tr><div data-boundary="0"><b id="named"></b><button id="rename"></button></div>`;

function visiting(): Stage {
  const bench = stage(scene({ findings: FINDINGS, boundaries: [{ name: "rim", at: [3, 3, 3], colour: 0 }] }), {}, ROWS);
  Object.assign(bench.view, { drawing: null });
  places.attach!(bench);
  places.changed!(bench);
  return bench;
}
const flown = (bench: Stage) => bench.done.filter((d) => d.startsWith("flyTo")).map((d) => d.slice(6));

test("places of the open row are gone through in both directions and around", () => {
  const bench = visiting();
  const told = () => [part("#place-now").textContent, part("#place-text").textContent];
  places.press!(bench, "j");
  assert.deepEqual(told(), ["1", "first"]);
  places.press!(bench, "j");
  assert.deepEqual(told(), ["2", "third"], "what is no place of the row is passed over");
  part("[data-step-place]").click();
  assert.deepEqual(told(), ["1", "first"]);
  places.press!(bench, "k");
  assert.deepEqual(told(), ["2", "third"]);
  assert.equal(flown(bench).at(-1), "[0,9,0] 2 [0,0,1]");
  assert.ok(part("[data-finding='2']").classList.contains("now"));
  places.changed!(bench);
  places.press!(bench, "k");
  assert.deepEqual(told(), ["2", "third"], "backward it begins at the last");
});

test("a row is visited by a click or by Enter, a boundary by its name and not by its buttons", () => {
  const bench = visiting();
  part("[data-finding='0']").click();
  assert.equal(bench.overlay.finding?.text, "first");
  const enter = Object.assign(new Event("keydown", { bubbles: true }), { key: "Enter" });
  part("[data-finding='2']").dispatchEvent(enter);
  assert.equal(bench.overlay.finding?.text, "third");
  const before = flown(bench).length;
  part("#rename").click();
  assert.equal(flown(bench).length, before);
  part("#named").click();
  assert.equal(flown(bench).at(-1), "[3,3,3] 0");
});

test("a place that is no finding is seen as the open edge nearest to it is", () => {
  const bench = visiting();
  part("[data-visit]").click();
  assert.deepEqual([bench.overlay.finding?.kind, bench.overlay.finding?.text], ["hole", "52  1  0"]);
  assert.equal(flown(bench).at(-1), "[52,1,0] 0 [0,0,1]");
});

test("standard views by key and by button; arrows turn by steps", () => {
  const bench = stage();
  look.attach!(bench);
  look.press!(bench, "1");
  look.press!(bench, "6");
  part("[data-look=top]").click();
  whole.press!(bench, "f");
  assert.deepEqual(bench.done, ["look front", "look bottom", "look top", `look ${part("[data-look]").dataset.look}`]);
  arrows.press!(bench, "arrowleft");
  arrows.press!(bench, "arrowup");
  assert.deepEqual(bench.done.slice(-2), [`turnBy ${-Math.PI / 12} 0`, `turnBy 0 ${Math.PI / 12}`]);
});

const at = (x: number, y: number): [number, number] => [MIDDLE[0] + x, MIDDLE[1] - y];

function marking(geometry = {}): Stage {
  const bench = stage(scene(), geometry);
  mark.attach!(bench);
  bench.use(mark);
  bench.done.length = 0;
  return bench;
}

/** The outline that was picked last, with how it was taken. */
function picked(bench: Stage): { outline: Place[]; direction: Place; visible: boolean; how: string } {
  const [, text, how] = /^pick (\{.*\}) (.*)$/.exec(bench.done.at(-1) ?? "")!;
  return {
    ...(JSON.parse(text) as { outline: { outline: Place[]; direction: Place; visible: boolean } }).outline,
    how,
  };
}

test("a box picks what is seen in it, or all that is behind it too", () => {
  const bench = marking();
  bench.drag(at(-10, 5), [at(0, 0), at(30, -15)]);
  assert.deepEqual(picked(bench), {
    outline: [[-10, 5, 0], [30, 5, 0], [30, -15, 0], [-10, -15, 0]],
    direction: [0, 0, -1],
    visible: true,
    how: "false false",
  }); // prettier-ignore
  tick("#mark-through");
  bench.drag(at(-10, 5), [at(30, -15)], { shiftKey: true });
  assert.deepEqual([picked(bench).visible, picked(bench).how], [false, "true false"]);
  bench.drag(at(-10, 5), [at(30, -15)], { altKey: true });
  assert.equal(picked(bench).how, "false true");
});

test("a freehand line has a corner every few pixels, and is drawn while it is", () => {
  const bench = marking();
  tick("#mark-options [value=line]");
  const round = Array.from({ length: 40 }, (_, i) => at(50 * Math.cos(i / 6), 50 * Math.sin(i / 6)));
  const shaken = round.flatMap(([x, y]) => [[x, y], [x + 1, y], [x, y + 1]] as [number, number][]); // prettier-ignore
  bench.drag(round[0], shaken);
  const { outline } = picked(bench);
  assert.ok(outline.length >= 38 && outline.length <= 41, `${outline.length} corners`);
  assert.ok(outline.every(([x, y]) => Math.abs(Math.hypot(x, y) - 50) < 1.5));
  assert.equal(part("#mark-line").getAttribute("d"), "", "nothing is left of it");
});

test("a press without a way picks nothing, and turns nothing while lines are drawn", () => {
  const bench = marking();
  bench.drag(at(0, 0), []);
  bench.drag(at(0, 0), [at(1, 1)]);
  assert.deepEqual(bench.done, []);
  assert.equal(bench.view.controls.enabled, false);
});

test("of points an outline is a step: what is inside goes, or all but it", () => {
  const bench = marking({ facets: new Uint32Array() });
  assert.ok(part("#of-facets").hidden && !part("#of-points").hidden);
  bench.drag(at(0, 10), [at(20, 0)]);
  const outline = "0, 10, 0; 20, 10, 0; 20, 0, 0; 0, 0, 0";
  assert.deepEqual(bench.sent, [{ step: "crop_outline", outline, direction: "0, 0, -1", inside: "on" }]);
  tick("#mark-inside", false);
  bench.drag(at(0, 10), [at(20, 0)]);
  assert.equal(bench.sent[1].inside, undefined);
});

/** What a step does to a direction: of turns and of words. */
function standing(step: Record<string, string>, d: Vector3): Vector3 {
  const axis = (said: string) => new Vector3().setComponent("xyz".indexOf(said[1]), said[0] === "+" ? 1 : -1);
  if (step.step === "orient") {
    const [up, forward] = [axis(step.up), axis(step.forward)];
    return new Vector3(forward.dot(d), up.clone().cross(forward).dot(d), up.dot(d));
  }
  const turn = new Vector3(...(step.turn.split(",").map(Number) as Place));
  const angle = (turn.length() * Math.PI) / 180;
  return d.clone().applyQuaternion(new Quaternion().setFromAxisAngle(turn.normalize(), angle));
}

test("the face that is clicked becomes the floor, straight or askew", () => {
  for (const facet of [
    [
      [0, 0, 5],
      [9, 0, 5],
      [0, 9, 5],
    ],
    [
      [0, 0, 5],
      [0, 9, 5],
      [9, 0, 5],
    ],
    [
      [2, 0, 0],
      [2, 5, 0],
      [2, 0, 5],
    ],
    [
      [1, 2, 3],
      [4, 6, 2],
      [-3, 1, 8],
    ],
    [
      [0, 0, 1],
      [1, 0, 1.4],
      [0, 1, 1.1],
    ],
  ] as [Place, Place, Place][]) {
    // prettier-ignore
    const bench = stage();
    stand.click!(bench, { ...hitAt(facet[0]), corners: facet }, {} as PointerEvent);
    const [a, b, c] = facet.map((p) => new Vector3(...p));
    const normal = b.clone().sub(a).cross(c.clone().sub(a)).normalize();
    const after = standing(bench.sent[0], normal);
    assert.ok(after.distanceTo(new Vector3(0, 0, -1)) < 1e-6, `${JSON.stringify(bench.sent[0])}: ${after.toArray()}`);
    if (bench.sent[0].step === "move_turn") {
      assert.equal(bench.sent[0].about, facet[0].join(", "));
      assert.ok(Math.abs(Number(bench.sent[0].by.split(", ")[2]) + facet[0][2]) < 1e-12, "its place comes to z = 0");
    }
  }
  const none = stage();
  stand.click!(none, { ...hitAt([0, 0, 0]), corners: [[1, 1, 1], [2, 2, 2], [3, 3, 3]] }, {} as PointerEvent); // prettier-ignore
  assert.deepEqual(none.sent, [], "a facet without a plane is no floor");
});

test("a body that shows a preview is not changed by a click", () => {
  const bench = stage();
  part("#standing").remove();
  stand.click!(bench, hitAt([0, 0, 0]), {} as PointerEvent);
  assert.match(part("#notice").textContent!, /cannot be changed while a preview/);
  assert.equal(input("#mark-through").checked, false);
});
