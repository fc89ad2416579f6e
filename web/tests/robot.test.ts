// The page of a robot: its joints move the picture, one at a time; its tree is arranged by dragging.
import assert from "node:assert/strict";
import { test } from "node:test";
import { input, open, part, tick, type } from "./page";

const link = (name: string) => `<g data-link="${name}"><rect></rect></g>`;
const document_ = open(
  `<img data-robot="/projects/1/robot.png">
  <img data-camera="0" src="/projects/1/robot-camera.png?camera=0&kind=depth&slew=3">
  <label><input type="range" data-joint="slew" min="-170" max="170" value="0"><output>0 °</output></label>
  <label><input type="range" data-joint="reach" min="0" max="250" value="0"><output>0 mm</output></label>
  <input type="checkbox" data-masses>
  <form id="plan"><input name="name" value="winch"></form><svg class="tree">${link("base")}${link("arm")}</svg>`,
);
// jsdom lays nothing out: what is under the pointer is what the test says.
let under: Element | null = null;
document_.elementFromPoint = () => under;
let sent: string[] = [];
part<HTMLFormElement>("#plan").requestSubmit = (button) => void sent.push((button as HTMLButtonElement).value);
await import("../src/robot");

const picture = part<HTMLImageElement>("[data-robot]");
const asked = () => picture.getAttribute("src");
const arrives = (kind = "load") => picture.dispatchEvent(new Event(kind));
const links = () => [...document.querySelectorAll<SVGGElement>("[data-link]")];

test("a joint that is moved is told in its own unit and drawn", () => {
  type("[data-joint=slew]", "45");
  assert.equal(asked(), "/projects/1/robot.png?slew=45&reach=0");
  type("[data-joint=reach]", "120");
  assert.deepEqual(
    [...document.querySelectorAll("output")].map((o) => o.textContent),
    ["45 °", "120 mm"],
  );
});

test("one picture is asked for at a time, and the last wish is what is drawn", () => {
  assert.equal(asked(), "/projects/1/robot.png?slew=45&reach=0", "the first has not come");
  type("[data-joint=reach]", "180");
  arrives();
  assert.equal(asked(), "/projects/1/robot.png?slew=45&reach=180");
  arrives();
  assert.equal(asked(), "/projects/1/robot.png?slew=45&reach=180", "nothing else was wished for");
});

test("a picture that fails lets the next one come", () => {
  type("[data-joint=slew]", "46");
  type("[data-joint=slew]", "47");
  arrives("error");
  assert.equal(asked(), "/projects/1/robot.png?slew=47&reach=180");
  arrives();
});

test("centres of mass are drawn where they are asked for", () => {
  tick("[data-masses]");
  assert.match(asked()!, /&masses=1$/);
  arrives();
  tick("[data-masses]", false);
  assert.doesNotMatch(asked()!, /masses/);
  arrives();
});

test("what cameras see is taken where a slider is let go, each its own kind", () => {
  const seen = part<HTMLImageElement>("[data-camera]");
  type("[data-joint=slew]", "-20");
  assert.match(seen.src, /slew=3$/);
  input("[data-joint=slew]").dispatchEvent(new Event("change"));
  assert.match(seen.src, /robot-camera\.png\?camera=0&kind=depth&slew=-20&reach=180$/);
  arrives();
});

const pointer = (kind: string, x = 0, y = 0) =>
  Object.assign(new Event(kind, { bubbles: true, cancelable: true }), { clientX: x, clientY: y });

/** Drags what is under the pointer over others, one after the other, and lets go. */
function drag(from: Element | null, ...over: (Element | null)[]): Event {
  under = from;
  const down = pointer("pointerdown", 10, 10);
  (from ?? part("svg.tree")).dispatchEvent(down);
  for (const [i, one] of over.entries()) {
    under = one;
    document.dispatchEvent(pointer("pointermove", 20 + 5 * i, 15));
  }
  return down;
}
const drop = () => document.dispatchEvent(pointer("pointerup"));

test("a link is hung on the one that it is dropped on", () => {
  const [base, arm] = links();
  drag(arm, base);
  assert.ok(arm.classList.contains("dragged") && base.classList.contains("over"));
  assert.equal(arm.style.transform, "translate(10px, 5px)");
  drop();
  assert.deepEqual(sent, ["hang-arm-on-base"]);
  assert.ok(!arm.classList.contains("dragged") && !base.classList.contains("over"));
  assert.equal(arm.style.transform, "");
});

test("dropped on itself or beside all, a link stays where it is", () => {
  sent = [];
  const [base, arm] = links();
  drag(arm, base, arm);
  assert.ok(!base.classList.contains("over"));
  drop();
  drag(arm, base, null);
  drop();
  const down = drag(null, base);
  drop();
  assert.deepEqual([sent, down.defaultPrevented], [[], false]);
  document.dispatchEvent(pointer("pointermove", 50, 50));
  assert.equal(arm.style.transform, "", "nothing is dragged any more");
});
