// The body moved by hand, by what is typed and by pairs of points: nothing is done until it is told to, and then as one step.
import assert from "node:assert/strict";
import { afterEach, beforeEach, mock, test } from "node:test";
import { ARC, BAR } from "../src/handles";
import type { Place } from "../src/scene";
import { move } from "../src/tools/move";
import { hitAt, MIDDLE, scene, stage, type Stage } from "./bench";
import { input, part, tick, type } from "./page";

beforeEach(() => mock.timers.enable({ apis: ["setTimeout"] }));
afterEach(() => mock.timers.reset());

function moving(about = scene(), hits: Stage["hits"] = {}): Stage {
  const bench = stage(about);
  Object.assign(bench.hits, hits);
  move.attach!(bench);
  bench.use(move);
  return bench;
}

const at = (x: number, y: number): [number, number] => [MIDDLE[0] + x, MIDDLE[1] - y];
const values = (what: string) => ["x", "y", "z"].map((k) => Number(input(`#move-${what}-${k}`).value));
const press = (id: string) => part<HTMLButtonElement>(`#move-${id}`).click();
const near = (a: number[], b: number[]) => assert.ok(a.every((x, i) => Math.abs(x - b[i]) < 1e-6), `${a} for ${b}`); // prettier-ignore

test("a bar moves along its axis in round steps, with Alt by any length", () => {
  const bench = moving();
  bench.drag(at(BAR, 0), [at(BAR + 20, 7), at(BAR + 43, 30)]);
  near(values("by"), [40, 0, 0]);
  bench.drag(at(BAR + 40, 0), [at(BAR + 43.25, 0)], { altKey: true });
  near(values("by"), [43.25, 0, 0]);
  bench.drag(at(43.25, BAR), [at(0, BAR - 20)]);
  near(values("by"), [43.25, -20, 0]);
  assert.ok(!part<HTMLButtonElement>("#move-apply").disabled);
  assert.deepEqual(bench.sent, [], "nothing is done yet");
  press("apply");
  assert.deepEqual(bench.sent, [{ step: "move_turn", turn: "0, 0, 0", about: "0, 0, 0", by: "43.25, -20, 0" }]);
});

test("an arc turns about its axis by steps of five degrees, with Alt by any", () => {
  const bench = moving();
  const on = (degrees: number) => at(...([Math.cos, Math.sin].map((f) => ARC * f((degrees * Math.PI) / 180)) as [number, number])); // prettier-ignore
  bench.drag(on(45), [on(60), on(78)]);
  near(values("turn"), [0, 0, 35]);
  bench.drag(on(45), [on(43.2)], { altKey: true });
  near(values("turn"), [0, 0, 33.2]);
  press("apply");
  near(bench.sent[0].turn.split(", ").map(Number), [0, 0, 33.2]);
});

test("what is typed is shown at once; what is no number changes nothing", () => {
  const bench = moving();
  type("#move-by-x", "12,5");
  type("#move-turn-z", "90");
  assert.equal(bench.done.at(-1), "carry [0,1,0,0,-1,0,0,0,0,0,1,0,12.5,0,0,1]");
  const before = bench.done.length;
  type("#move-by-y", "far");
  assert.equal(bench.done.length, before);
  assert.equal(input("#move-by-y").value, "far", "somebody is typing there");
  press("reset");
  assert.deepEqual([values("by"), values("turn")], [[0, 0, 0], [0, 0, 0]]); // prettier-ignore
  assert.ok(part<HTMLButtonElement>("#move-apply").disabled && part<HTMLButtonElement>("#move-reset").disabled);
});

test("a place of the body is carried along, and onto what it is held over", () => {
  const bench = moving(scene(), { own: hitAt([30, 40, 6]) });
  bench.drag(at(30, 40), [at(50, 35)]);
  near(values("by"), [20, -5, 0]);
  bench.hits.own = hitAt([50, 35, 6]);
  bench.hits.beside = hitAt([200, 100, -3], false);
  bench.drag(at(50, 35), [at(200, 100)]);
  near(values("by"), [170, 60, -9]);
});

test("face to face the body turns so that its face lies on the other", () => {
  const bench = moving(scene(), { own: hitAt([10, 0, 5]), beside: hitAt([0, 0, 50], false) });
  tick("#move-faces");
  bench.drag(at(10, 0), [at(0, 0)]);
  const [x, y, z] = values("turn");
  assert.ok(Math.abs(Math.hypot(x, y) - 180) < 1e-4 && Math.abs(z) < 1e-4, "what looked up looks down");
  press("apply");
  assert.equal(bench.sent.length, 1);
});

test("a datum near the pointer is what is meant", () => {
  const bench = moving(scene({ datums: [{ name: "pin", at: [33, 44, 2], direction: [0, 1, 0] }] }), { own: hitAt([30, 40, 6]) }); // prettier-ignore
  bench.drag(at(30, 40), [at(83, 44)]);
  near(values("by"), [50, 0, 0]);
  const select = part<HTMLSelectElement>("#move-at");
  assert.deepEqual(
    [...select.options].map((o) => o.text),
    ["the middle of the body", "datum pin"],
  );
});

test("about another place the same motion is told otherwise", () => {
  const bench = moving(scene({ datums: [{ name: "pin", at: [10, 0, 0], direction: [0, 0, 1] }] }));
  type("#move-turn-z", "90");
  const select = part<HTMLSelectElement>("#move-at");
  select.value = "0";
  select.dispatchEvent(new Event("change", { bubbles: true }));
  near(values("by"), [-10, 10, 0]);
  near(values("turn"), [0, 0, 90]);
  press("apply");
  assert.equal(bench.sent[0].about, "10, 0, 0");
});

test("the clearance is told once nothing moves, with what stands in the way of telling it", () => {
  const others = [{ body: 4, name: "bed", revision: 9, sized: true, datums: [] }];
  const bench = moving(scene({ others }));
  const found = { name: "bed", revision: 9, distance: 12.345, crosses: false, from: [0, 0, 0], to: [0, 0, 12] };
  const told = (more: object | null) => {
    Object.assign(bench.view, { clearance: () => more && { ...found, ...more } });
    mock.timers.tick(200);
    type("#move-by-x", "1");
    mock.timers.tick(100);
    mock.timers.tick(100);
    return part("#move-clearance").textContent;
  };
  assert.match(told(null)!, /No other surface is shown/);
  assert.equal(told({}), "Clearance 12.35 mm to “bed”, as drawn.");
  assert.equal(told({ crosses: true }), "It crosses “bed”.");
  assert.ok(part("#move-clearance").classList.contains("bad"));
  others[0].sized = false;
  assert.match(told({})!, /not in one unit/);
});

const click = (bench: Stage, place: Place, own: boolean) => move.click!(bench, hitAt(place, own), {} as PointerEvent);

test("three pairs of points bring the body, each of this body first", () => {
  const bench = moving();
  tick("#move-pairs");
  const told = () => part("#move-pairs-told").textContent!;
  assert.ok(part("#move-values").hidden && !part("#move-pairing").hidden);
  click(bench, [1, 1, 1], false);
  assert.equal(told(), "Click a place of this body first.");
  for (const k of [0, 1, 2]) {
    click(bench, [k, 10, 0], true);
    assert.match(told(), new RegExp(`^Pair ${k + 1}`));
    if (k === 1) {
      click(bench, [9, 9, 9], true);
      assert.equal(told(), "Click where it belongs on another body.");
      press("undo");
      click(bench, [k, 10, 0], true);
    }
    assert.ok(part<HTMLButtonElement>("#move-bring").disabled);
    click(bench, [k + 50, 20, 5], false);
  }
  assert.match(told(), /^3 of 3 pairs/);
  press("bring");
  assert.deepEqual(bench.sent, [{ step: "align_pairs", from: "0, 10, 0; 1, 10, 0; 2, 10, 0", to: "50, 20, 5; 51, 20, 5; 52, 20, 5" }]); // prettier-ignore
});

test("another state of the body begins anew, another place of the page does not", async () => {
  const bench = moving();
  type("#move-by-x", "5");
  move.changed!(bench);
  assert.deepEqual(values("by"), [5, 0, 0]);
  bench.now = scene({ revision: 8 });
  move.changed!(bench);
  await Promise.resolve();
  await Promise.resolve();
  assert.deepEqual(values("by"), [0, 0, 0]);
  type("#move-by-x", "5");
  move.leave!(bench);
  assert.ok(part("#move-ways").hidden);
  assert.equal(bench.done.at(-1), "carry null", "the body stands where it was");
});
