// What is drawn over the body: flags that cover nothing, figures in the unit that is shown, a scale that is true.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import { OrthographicCamera } from "three";
import type { Anchor } from "../src/anchors";
import { setCut } from "../src/cut";
import { choose } from "../src/lengths";
import { Overlay } from "../src/overlay";
import type { Place, Scene } from "../src/scene";
import type { View } from "../src/view";
import { scene } from "./bench";
import { open, part } from "./page";

const [WIDTH, HEIGHT] = [1000, 700];
let pixel = 0.5;
const screen = ([x, y]: Place): [number, number] => [WIDTH / 2 + x / pixel, HEIGHT / 2 - y / pixel];

beforeEach(() => {
  open(`<div id="frame"></div>`);
  choose("mm");
  setCut(0, null, false);
  pixel = 0.5;
});

/** Draws over a body as it is looked at from above. */
function drawn(about: Scene, set: (overlay: Overlay) => void = () => undefined, anchors: Anchor[] = []): Overlay {
  const frame = part("#frame");
  Object.defineProperty(frame, "clientWidth", { value: WIDTH, configurable: true });
  Object.defineProperty(frame, "clientHeight", { value: HEIGHT, configurable: true });
  const camera = new OrthographicCamera();
  camera.updateMatrixWorld();
  const overlay = new Overlay(frame);
  set(overlay);
  overlay.draw({ frame, camera, screen, pixel: () => pixel } as unknown as View, about, anchors);
  return overlay;
}

const number = (element: Element, name: string) => Number(element.getAttribute(name));
const all = (overlay: Overlay, what: string) => [...overlay.svg.querySelectorAll(what)];
const texts = (overlay: Overlay) => all(overlay, "text").map((t) => t.textContent!);
const flags = (overlay: Overlay) => all(overlay, "rect").filter((r) => number(r, "height") === 22);

/** A value from 0 to 1 that looks random. */
function numbers(seed: number): () => number {
  let x = seed >>> 0;
  return () => (x = (Math.imul(x, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

test("flags stand in the frame and on none of the others, wherever their boundaries are", () => {
  for (let seed = 1; seed < 60; seed++) {
    const next = numbers(seed);
    const many = 1 + Math.floor(14 * next());
    // Up to the rim, and all in one place.
    const spread = seed % 3 === 0 ? 0.01 : 240;
    const boundaries = Array.from({ length: many }, (_, i) => ({
      name: "name ".repeat(1 + Math.floor(5 * next())).trim(),
      at: [spread * (2 * next() - 1), 0.6 * spread * (2 * next() - 1), 0] as Place,
      colour: i,
    }));
    const overlay = drawn(scene({ boundaries }));
    const boxes = flags(overlay).map((r) => [number(r, "x"), number(r, "y"), number(r, "width")]);
    assert.equal(boxes.length, many);
    for (const [i, [x, y, wide]] of boxes.entries()) {
      assert.ok(
        x >= 8 && x + wide <= WIDTH - 8 && y >= 86 && y + 22 <= HEIGHT - 44,
        `seed ${seed}: flag ${i} at ${x}, ${y}`,
      );
      for (const [p, q, r] of boxes.slice(0, i))
        assert.ok(Math.abs(q - y) >= 22 || p + r <= x || x + wide <= p, `seed ${seed}: flag ${i} covers another`);
    }
    assert.deepEqual(texts(overlay).slice(0, many), boundaries.map((b, i) => `${"ABCDEFGHIJKLMN"[i]}  ${b.name}`)); // prettier-ignore
  }
});

test("a boundary that is hidden behind the body is faint, one that is cut away has no flag", () => {
  const boundaries = ["left", "right"].map((name, i) => ({ name, at: [100 * i - 50, 0, 0] as Place, colour: i }));
  const anchors: Anchor[] = boundaries.map(({ at }, i) => ({ at, seen: i === 0 }));
  const faint = (overlay: Overlay) => flags(overlay).map((r) => r.getAttribute("opacity"));
  assert.deepEqual(faint(drawn(scene({ boundaries }), undefined, anchors)), [null, "0.45"]);
  setCut(0, 0, false);
  assert.deepEqual(faint(drawn(scene({ boundaries }), undefined, anchors)), [null]);
  const carried = drawn(scene({ boundaries }), (overlay) => (overlay.more = () => undefined), anchors);
  assert.equal(flags(carried).length, 0, "flags would stay where the body was");
});

test("the scale bar is as long as it says, in every unit and from near and far", () => {
  for (const unit of ["mm", "m", "in"]) {
    choose(unit);
    const factor = { mm: 1, m: 1 / 1000, in: 1 / 25.4 }[unit]!;
    for (let power = -5; power <= 5; power++)
      for (const part of [1, 1.7, 2.2, 4.9, 9.9]) {
        pixel = part * 10 ** power;
        const overlay = drawn(scene());
        const fields = all(overlay, "rect").filter((r) => number(r, "height") === 6);
        assert.equal(fields.length, 4);
        const wide = number(fields[0], "width");
        assert.ok(wide >= 44 - 1e-6 && wide <= 115, `${wide} pixels`);
        const said = texts(overlay).find((t) => t.endsWith(` ${unit}`))!;
        const length = Number(said.replace(` ${unit}`, "").replaceAll("\u2009", ""));
        const true_ = 4 * wide * pixel * factor;
        // What is said has about four digits, and six behind the point.
        assert.ok(Math.abs(length - true_) <= Math.max(1e-3 * true_, 1e-6), `${said} for ${true_} ${unit}`);
      }
  }
});

test("a distance is told at its middle in the unit that is shown, a circle's and an angle's are not", () => {
  const measured: Place[] = [[0, 0, 0], [30, 40, 120]]; // prettier-ignore
  choose("in");
  const overlay = drawn(scene(), (o) => (o.measured = measured));
  assert.ok(texts(overlay).includes("5.118 in"));
  const box = all(overlay, "rect").find((r) => number(r, "height") === 20)!;
  const [x, y] = screen([15, 20, 0]);
  assert.deepEqual([number(box, "x") + 4, number(box, "y") + 13], [x, y]);
  const three = drawn(scene(), (o) => (o.measured = [...measured, [9, 9, 9]]));
  assert.equal(all(three, "rect").filter((r) => number(r, "height") === 20).length, 0);
  const raw = drawn(scene({ unit: "units" }), (o) => (o.measured = measured));
  assert.ok(texts(raw).includes("130 units"), "what has no unit is in no other");
});

test("what is told of a finding stays in the frame, however long it is and wherever it lies", () => {
  for (const at of [[-240, 0, 0], [240, 0, 0], [0, 0, 0], [239, 100, 0]] as Place[])
    for (const text of ["gap", "a wall of 0.4 mm between two faces that are told by their names at length"]) {
      const overlay = drawn(scene(), (o) => (o.finding = { kind: "self_intersections", at, radius: 5, from: [0, 0, 1], text })); // prettier-ignore
      const box = all(overlay, "rect").find((r) => number(r, "height") === 40)!;
      assert.ok(number(box, "x") >= 8 && number(box, "x") + number(box, "width") <= WIDTH - 8);
      assert.ok(texts(overlay).includes("crossing facets"), "in people's words");
      const round = all(overlay, "circle").find((c) => c.getAttribute("stroke-dasharray"))!;
      assert.equal(number(round, "r"), 10, "its radius as it is seen");
      assert.equal(texts(overlay).includes(text), text.length > 4, "a short one says where");
    }
}); // prettier-ignore

test("a comparison has its line where it is held, and a preview its words", () => {
  const overlay = drawn(scene(), (o) => Object.assign(o, { compared: 0.25, changes: "Preview: 3 facets new, blue" }));
  assert.ok(all(overlay, "path").some((p) => p.getAttribute("d") === `M250 0V${HEIGHT}`));
  for (const text of ["as received", "now", "Preview: 3 facets new, blue"]) assert.ok(texts(overlay).includes(text));
  assert.ok(["x", "y", "z"].every((axis) => texts(overlay).includes(axis)));
  const plain = texts(drawn(scene()));
  assert.ok(!plain.includes("now") && !plain.some((t) => t.startsWith("Preview")));
});
