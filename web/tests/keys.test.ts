// Buttons, keys and panels of the view: each tool is pressed by what says so, and closed by Escape.
import assert from "node:assert/strict";
import { test } from "node:test";
import { byKey, press, TOOLS } from "../src/tools";
import { compare } from "../src/tools/compare";
import { draw } from "../src/tools/draw";
import { hover } from "../src/tools/hover";
import { pick } from "../src/tools/modes";
import { drawer, escape, logbook } from "../src/tools/page";
import { picture } from "../src/tools/picture";
import { Pairs } from "../src/tools/pairs";
import type { Place } from "../src/scene";
import { hitAt, MIDDLE, scene, stage } from "./bench";
import { aTurn, input, open, part } from "./page";

const at = (x: number, y: number): [number, number] => [MIDDLE[0] + x, MIDDLE[1] - y];

test("every tool with a button stands in one row, under a name, a key and an address of its own", () => {
  stage();
  const buttons = [...document.querySelectorAll<HTMLElement>("[role=toolbar][aria-label='Tools of the view'] button")];
  assert.deepEqual(buttons.map((b) => b.dataset.tool), TOOLS.filter((t) => t.label).map((t) => t.id)); // prettier-ignore
  for (const button of buttons) {
    const tool = TOOLS.find((t) => t.id === button.dataset.tool)!;
    assert.ok(button.title.endsWith(`(${tool.keys[0].toUpperCase()})`) && button.textContent === tool.label);
    assert.equal(byKey(tool.keys[0]), tool);
  }
  const ids = [...document.querySelectorAll("[id]")].map((e) => e.id);
  assert.equal(new Set(ids).size, ids.length, "no name twice");
  assert.equal(document.querySelectorAll(".options .sliders").length, document.querySelectorAll(".sliders").length);
});

test("a mode takes the clicks, anything else is done at once", () => {
  const bench = stage();
  press(bench, pick);
  assert.equal(bench.taken(), "pick");
  press(bench, byKey("f")!, "f");
  assert.deepEqual([bench.taken(), bench.done.length], ["pick", 1]);
});

test("the keys are listed and put away", () => {
  const bench = stage();
  const keys = byKey("?")!;
  press(bench, keys, "?");
  const rows = [...document.querySelectorAll<HTMLTableRowElement>(".keys tr")].map((r) => r.textContent);
  assert.equal(rows.length, TOOLS.filter((t) => t.keys.length > 0).length);
  assert.ok(rows.some((r) => r!.startsWith("Ctrl+Z")));
  press(bench, keys, "?");
  assert.equal(document.querySelector(".keys"), null);
});

test("Escape closes what is open and goes back to turning", () => {
  const bench = stage();
  compare.attach!(bench);
  part("#compare").addEventListener("click", () => compare.press!(bench, "c"));
  compare.press!(bench, "c");
  assert.equal(bench.overlay.compared, 0.5);
  press(bench, byKey("?")!, "?");
  bench.take("pick");
  escape.press!(bench, "escape");
  assert.deepEqual([bench.overlay.compared, bench.taken(), document.querySelector(".keys")], [null, "turn", null]);
  assert.ok(part("#compare-slider").hidden);
  escape.press!(bench, "escape");
  assert.equal(bench.overlay.compared, null, "what is closed stays closed");
});

test("a step back and forward are those of the page, and the panel stays as it was left", () => {
  stage(scene(), {}, `<main class="workspace"><button id="step-back"></button><button id="fold"></button></main>`);
  const pressed: string[] = [];
  part("#step-back").addEventListener("click", () => pressed.push("back"));
  logbook.press!(stageless, "ctrl+z");
  logbook.press!(stageless, "ctrl+shift+z");
  assert.deepEqual(pressed, ["back"], "there is no step forward");
  drawer.attach!(stageless);
  part("#fold").click();
  assert.ok(part("main").classList.contains("folded"));
  assert.equal(localStorage.getItem("drawer folded"), "true");
  part("main").classList.remove("folded");
  drawer.attach!(stageless);
  assert.ok(part("main").classList.contains("folded"), "on the next page it is folded again");
});
const stageless = {} as Parameters<NonNullable<typeof logbook.press>>[0];

test("what a click would pick is shown once a frame, for the faces that belong together", async () => {
  // Two squares at a right angle.
  const points = Float32Array.of(0, 0, 0, 9, 0, 0, 9, 9, 0, 0, 9, 0, 9, 0, 9, 9, 9, 9);
  const facets = Uint32Array.of(0, 1, 2, 0, 2, 3, 1, 4, 2, 4, 5, 2);
  const bench = stage(scene(), { points, facets, boundary: Uint32Array.of(0, 0, 1, 1) }, `<input id="angle" value="20"><p data-boundary="1"><b id="row"></b></p>`); // prettier-ignore
  globalThis.requestAnimationFrame = (act) => setTimeout(act) as unknown as number;
  let facet: number | null = 0;
  Object.assign(bench.view, { pick: () => (facet === null ? null : { ...hitAt([0, 0, 0]), facet }) });
  hover.attach!(bench);
  const shown = () => bench.done.filter((d) => d.startsWith("highlight pointed")).map((d) => /"facets":\{([^}]*)\}/.exec(d)?.[1] ?? "none"); // prettier-ignore
  const moves = async (buttons = 0) => {
    part("canvas").dispatchEvent(Object.assign(new Event("pointermove"), { clientX: 1, clientY: 1, buttons }));
    await aTurn();
    await aTurn();
  };
  await moves();
  assert.deepEqual(shown(), [], "nothing is picked in this mode");
  bench.take("pick");
  await moves();
  await moves();
  assert.deepEqual(shown(), ['"0":0,"1":1'], "once, while it is the same face");
  facet = 3;
  await moves();
  assert.equal(shown().at(-1), '"0":3,"1":2');
  await moves(1);
  assert.equal(shown().at(-1), "none", "a view that is turned shows none");
  part("#row").dispatchEvent(new Event("mouseover", { bubbles: true }));
  assert.match(bench.done.at(-1)!, /^highlight row \{"facets":\[2,3\]/);
  part("canvas").dispatchEvent(new Event("mouseover", { bubbles: true }));
  assert.equal(bench.done.at(-1), "highlight row null");
});

/** A frame of two members that meet at a right angle, as lines come from the server. */
function frameOf(pieces: [Place, Place][]): object {
  const numbers = pieces.flat(2);
  const [min, max] = [Math.min(...numbers), Math.max(...numbers)];
  return { facets: new Uint32Array(), min: [min, min, min], max: [max, max, max], chunks: [{ tag: "LINE", words: lines(numbers, min, max) }] }; // prettier-ignore
}

/** Pieces of two places each, in 21 bits a coordinate, as they are sent. */
function lines(numbers: number[], min: number, max: number): Uint32Array {
  const steps = numbers.map((x) => Math.round(((x - min) / (max - min)) * (2 ** 21 - 1)));
  const pieces = numbers.length / 6;
  const words = Array.from({ length: 2 * pieces }, (_, i) => {
    const [x, y, z] = steps.slice(3 * i);
    return [x | ((y & 0x7ff) << 21), (y >>> 11) | (z << 10)];
  });
  return Uint32Array.from([pieces, ...Array.from({ length: pieces }, () => 2), ...words.flat()]);
}

test("a member is drawn between two places that are clicked: joints, middles and thirds attract", () => {
  const bench = stage(scene(), frameOf([[[0, 0, 0], [90, 0, 0]], [[0, 0, 0], [0, 90, 0]]])); // prettier-ignore
  bench.use(draw);
  const told = () => part("#draw-told").textContent!;
  assert.match(told(), /^Click where the member begins/);
  draw.anywhere!(bench, at(200, 200));
  assert.match(told(), /^Click where/, "nothing is near");
  draw.anywhere!(bench, at(88, 3));
  assert.match(told(), /^From a joint at 90, 0, 0/);
  draw.anywhere!(bench, at(4, 46));
  assert.equal(bench.sent.length, 1);
  const [from, to] = [bench.sent[0].from, bench.sent[0].to].map((p) => p.split(", ").map(Number));
  assert.ok(Math.hypot(from[0] - 90, from[1], from[2]) < 0.01 && Math.hypot(to[0], to[1] - 45, to[2]) < 0.01, bench.sent[0].to); // prettier-ignore
  assert.match(told(), /^Click where the member begins/, "the next one is begun");
  draw.leave!(bench);
  assert.ok(part("#draw-told").hidden);
  const empty = stage();
  empty.use(draw);
  assert.match(told(), /no members here/);
});

test("a picture is asked for within what browsers draw, and named as the page is", async () => {
  const bench = stage();
  const title = document.createElement("title");
  title.textContent = "Pump bed / 2 · Ready Hull";
  document.head.append(title);
  const asked: unknown[][] = [];
  const saved: string[] = [];
  Object.assign(bench.view, { picture: async (...how: unknown[]) => (asked.push(how), asked.length === 1 ? new Blob([]) : null) }); // prettier-ignore
  URL.createObjectURL = () => "blob:one";
  URL.revokeObjectURL = () => undefined;
  window.HTMLElement.prototype.click = function (this: HTMLElement & { download?: string }) {
    if (this.download) saved.push(this.download);
    else this.dispatchEvent(new Event("click", { bubbles: true }));
  };
  picture.attach!(bench);
  const save = async (width: string, height: string) => {
    input("[name=picture-width]").value = width;
    input("[name=picture-height]").value = height;
    part("#save-picture").click();
    await aTurn();
    return part("#notice").textContent!;
  };
  assert.match(await save("8", "800"), /16 to 8192/);
  assert.match(await save("800", "9000"), /16 to 8192/);
  await save("1200.4", "800");
  assert.deepEqual([asked, saved], [[[1200, 800, 0xfbf9f3]], ["Pump-bed-2.png"]]); // prettier-ignore
  input("[name=picture-paper]").checked = false;
  assert.match(await save("8000", "8000"), /Ask for fewer/);
  assert.deepEqual(asked[1], [8000, 8000, null]);
});

test("pairs are taken back one place at a time", () => {
  open("");
  const pairs = new Pairs();
  assert.equal(pairs.take([0, 0, 0], true), null);
  assert.equal(pairs.take([1, 0, 0], false), null);
  assert.equal(pairs.take([2, 0, 0], true), null);
  pairs.back();
  assert.match(pairs.next(), /^1 of 3 pairs/);
  pairs.back();
  assert.match(pairs.next(), /^Pair 1:/);
  pairs.back();
  pairs.back();
  assert.match(pairs.next(), /Three pairs or more/);
  for (let i = 0; i < 3; i++) [true, false].forEach((own) => pairs.take([i, 0, 0], own));
  assert.ok(pairs.areEnough);
  pairs.take([9, 9, 9], true);
  assert.ok(!pairs.areEnough, "a place without a partner is no pair");
});
