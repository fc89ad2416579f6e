// Sections and measures by clicks in the view: planes lie where they are typed, slid or clicked, figures are those of geometry.
import assert from "node:assert/strict";
import { test } from "node:test";
import { CHOSEN, directionOf } from "../src/cut";
import { choose } from "../src/lengths";
import type { Place } from "../src/scene";
import { measure } from "../src/tools/measure";
import { acrossPlaces, plane, section } from "../src/tools/section";
import { station } from "../src/tools/station";
import { hitAt, MIDDLE, scene, stage, type Stage } from "./bench";
import { input, part, tick, type } from "./page";

const at = (x: number, y: number): [number, number] => [MIDDLE[0] + x, MIDDLE[1] - y];
const alt = (altKey: boolean) => ({ altKey }) as PointerEvent;

/** A body of 10 by 20 by 40 about its first corner, with sections open. */
function sectioned(about = scene()): Stage {
  const bench = stage(about, { min: [0, 0, 0], max: [10, 20, 40] });
  const size = [10, 20, 40];
  const reach = (k: number): [number, number] => {
    if (k !== CHOSEN) return [0, size[k]];
    const parts = directionOf(k).map((d, i) => d * size[i]);
    return [parts.reduce((s, x) => s + Math.min(0, x), 0), parts.reduce((s, x) => s + Math.max(0, x), 0)];
  };
  Object.assign(bench.view, { reach });
  choose("mm");
  section.attach!(bench);
  section.press!(bench, "s");
  // The page's own way to give clicks to a tool.
  const take = bench.take.bind(bench);
  bench.take = (id) => {
    if (bench.taken() === plane.id && id !== plane.id) plane.leave!(bench);
    take(id);
    if (id === plane.id) plane.taken!(bench);
  };
  return bench;
}

const row = (k: number) => `[data-plane='${k}']`;
const cuts = (bench: Stage) => bench.done.filter((d) => d.startsWith("setSection")).map((d) => d.slice(11));
const told = () => part("#section-told").textContent;

function slide(k: number, part_: string): void {
  const range = input(`${row(k)} [type=range]`);
  range.value = part_;
  range.dispatchEvent(new Event("input", { bubbles: true }));
}

test("opened, a section lies in the middle across x; the others are there to be asked for", () => {
  const bench = sectioned();
  assert.deepEqual(cuts(bench), ["0 0.5 false", "1 null false", "2 null false", "3 null false"]);
  assert.deepEqual([0, 1, 2].map((k) => input(`${row(k)} [data-at]`).value), ["5", "10", "20"]); // prettier-ignore
  slide(2, "0.25");
  assert.deepEqual([cuts(bench).at(-1), input(`${row(2)} [data-at]`).value], ["2 0.25 false", "10"]);
  assert.ok(input(`${row(2)} [data-on]`).checked, "who moves a plane wants it");
  section.press!(bench, "s");
  assert.deepEqual(cuts(bench).slice(-4), ["0 null false", "1 null false", "2 null false", "3 null false"]);
});

test("a place that is typed is where the plane goes, in the unit that is shown", () => {
  const bench = sectioned();
  type(`${row(1)} [data-at]`, "5");
  assert.equal(cuts(bench).at(-1), "1 0.25 false");
  type(`${row(1)} [data-at]`, "7,5");
  assert.equal(cuts(bench).at(-1), "1 0.375 false");
  type(`${row(1)} [data-at]`, "far");
  assert.equal(cuts(bench).at(-1), "1 0.375 false", "no number moves nothing");
  choose("in");
  type(`${row(2)} [data-at]`, "1");
  assert.equal(cuts(bench).at(-1), "2 0.635 false");
  assert.equal(part(`${row(2)} [data-symbol]`).textContent, "in");
  const flip = input(`${row(2)} [data-flip]`);
  flip.checked = true;
  flip.dispatchEvent(new Event("input", { bubbles: true }));
  assert.equal(cuts(bench).at(-1), "2 0.635 true");
});

test("the section of choice goes through the face that is clicked", () => {
  const bench = sectioned();
  tick(`${row(CHOSEN)} [data-on]`);
  assert.deepEqual([bench.taken(), told()], ["plane", "Click the face."]);
  const corners: [Place, Place, Place] = [[0, 0, 8], [3, 0, 8], [0, 4, 8]]; // prettier-ignore
  plane.click!(bench, { ...hitAt([1, 1, 8]), corners }, alt(false));
  assert.deepEqual([bench.taken(), told()], ["turn", "across 0, 0, 1"]);
  assert.equal(cuts(bench).at(-1), "3 0.2 false");
});

test("through three places, with corners that attract; on a line there is none", () => {
  const bench = sectioned();
  const by = part<HTMLSelectElement>("[data-by]");
  const through = (value: string) => {
    by.value = value;
    by.dispatchEvent(new Event("change", { bubbles: true }));
  };
  through("places");
  const clicks = (...places: Place[]) => places.forEach((p) => plane.click!(bench, hitAt(p), alt(true)));
  clicks([0, 0, 0], [10, 0, 0]);
  assert.equal(told(), "Click the third place.");
  assert.equal(bench.overlay.measured.length, 2);
  clicks([10, 20, 40]);
  assert.equal(told(), "across 0, -0.8944, 0.4472");
  assert.deepEqual(bench.overlay.measured, []);
  const [from, to] = [-20 * 0.894427191, 40 * 0.4472135955];
  const cut = Number(cuts(bench).at(-1)!.split(" ")[1]);
  assert.ok(Math.abs(cut - (0 - from) / (to - from)) < 1e-6, "through the first of them");
  through("places");
  clicks([0, 0, 0], [1, 1, 1], [3, 3, 3]);
  assert.match(told()!, /lie on a line/);
  assert.equal(acrossPlaces([[0, 0, 0], [1, 2, 3], [2, 4, 6.000000000001]]), null); // prettier-ignore
});

test("through a datum at once, as long as the body has it", () => {
  const datums = [{ name: "axis", at: [5, 0, 0] as Place, direction: [2, 0, 0] as Place }];
  const bench = sectioned(scene({ datums }));
  const by = part<HTMLSelectElement>("[data-by]");
  assert.deepEqual(
    [...by.options].map((o) => o.value),
    ["face", "places", "datum axis"],
  );
  by.value = "datum axis";
  by.dispatchEvent(new Event("change", { bubbles: true }));
  assert.deepEqual([cuts(bench).at(-1), told(), bench.taken()], ["3 0.5 false", "across 1, 0, 0", "turn"]);
  section.changed!(bench);
  assert.equal(by.value, "datum axis", "another place of the page");
  bench.now = scene();
  section.changed!(bench);
  assert.deepEqual(
    [...by.options].map((o) => o.value),
    ["face", "places"],
  );
  assert.equal(by.value, "face");
});

function measuring(what: string, about = scene()): (...places: Place[]) => string {
  const bench = stage(about, {}, `<input id="measured">`);
  Object.assign(bench.view, { drawing: null });
  choose("mm");
  measure.attach!(bench);
  bench.use(measure);
  if (what !== "distance") tick(`[name=measure-what][value=${what}]`);
  return (...places) => {
    places.forEach((p) => measure.click!(bench, hitAt(p), alt(true)));
    return part("#measure-told").textContent!.replaceAll("\u2003", " | ");
  };
}

test("distances, angles and radii of clicked places are those of geometry", () => {
  const far = measuring("distance");
  assert.match(far([1, 2, 3]), /^From a place of the surface at 1, 2, 3 mm/);
  assert.equal(far([4, 6, 15]), "13 mm | dx 3 | dy 4 | dz 12 mm | to a place of the surface");
  assert.match(far([0, 0, 0]), /^From/, "the next click begins anew");
  const corner = measuring("angle");
  corner([5, 0, 0], [0, 0, 0]);
  assert.equal(corner([3, 3, 0]), "45° at the corner");
  const round = measuring("radius");
  round([10, 0, 7], [0, 10, 7]);
  assert.equal(round([-10, 0, 7]), "radius 10 mm | diameter 20 mm | centre 0, 0, 7 mm");
  const line = measuring("radius");
  line([0, 0, 0], [1, 0, 0]);
  assert.match(line([2, 0, 0]), /lie on a line/);
  const faces = measuring("faces");
  faces([0, 0, 0]);
  assert.equal(faces([0, 0, 9]), "0° between the planes | 0° between their outward directions");
});

test("figures are told in the unit that is shown, and a size for the body in that of its file", () => {
  const far = measuring("distance", scene({ placement: { scale: 25.4, rotation: [[1, 0, 0], [0, 1, 0], [0, 0, 1]], moved: [0, 0, 0] } })); // prettier-ignore
  choose("in");
  assert.match(far([0, 0, 0], [0, 0, 50.8]), /^2 in \| dx 0 \| dy 0 \| dz 2 in/);
  assert.equal(input("#measured").value, "2");
});

test("what was measured is kept under a name, as a step", () => {
  const bench = stage();
  Object.assign(bench.view, { drawing: null });
  measure.attach!(bench);
  bench.use(measure);
  assert.ok(part("#measure-keep").hidden);
  for (const p of [[1, 0, 0], [2, 0, 0.5]] as Place[]) measure.click!(bench, hitAt(p), alt(true)); // prettier-ignore
  part("#measure-keep-it").click();
  assert.equal(document.activeElement, input("#measure-name"), "it needs a name");
  input("#measure-name").value = "wall";
  input("#measure-name").dispatchEvent(Object.assign(new Event("keydown"), { key: "Enter" }));
  assert.deepEqual(bench.sent, [{ step: "keep_measure", what: "distance", name: "wall", places: "1, 0, 0; 2, 0, 0.5" }]); // prettier-ignore
  assert.ok(part("#measure-keep").hidden && input("#measure-name").value === "");
  measure.leave!(bench);
  assert.deepEqual([bench.overlay.measured, part("#measure-options").hidden], [[], true]);
});

const FORM = `<form><input type="radio" name="by" value="trade"><input type="radio" name="by" value="scan"><input name="stations" value="1, 2, 3; 4, 5, 6"></form><button data-station></button>`;

test("a station is set where the eye is, instead of the examples, and dragged where it is wanted", () => {
  const bench = stage(scene(), { min: [0, 0, 0], max: [0, 0, 40] }, FORM);
  station.attach!(bench);
  part("[data-station]").click();
  assert.equal(input("[name=stations]").value, "0, 0, 60", "one and a half sizes from the middle");
  assert.ok(input("[value=scan]").checked);
  part("[data-station]").click();
  assert.equal(input("[name=stations]").value, "0, 0, 60; 0, 0, 60");
  bench.use(station);
  bench.drag(at(3, 4), [at(50, 20), at(80, -10)]);
  assert.equal(input("[name=stations]").value, "80, -10, 60; 0, 0, 60", "as far from the eye as it was");
  bench.drag(at(300, 4), [at(50, 20)]);
  assert.equal(input("[name=stations]").value, "80, -10, 60; 0, 0, 60", "nothing was there");
  station.leave!(bench);
  bench.take("turn");
  bench.drag(at(80, -10), [at(0, 0)]);
  assert.equal(input("[name=stations]").value, "80, -10, 60; 0, 0, 60", "the view is turned instead");
});
