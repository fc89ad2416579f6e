// Presses that come too early or while something else goes on: held, done once, and in their order.
import assert from "node:assert/strict";
import { test } from "node:test";
import { aTurn, open, part } from "./page";

open(`<button id="plain">plain</button><button id="other">other</button>
  <form id="step" hx-post="/steps"><input name="a"><button id="do" name="do" value="1">do</button></form>
  <form id="search" action="/"><button id="find">find</button></form>
  <a id="tab" hx-get="/tab"><b id="inner">tab</b></a><p id="nothing">text</p>
  <button data-theme-switch></button>`);
// The page is being read: the other scripts are not there.
Object.defineProperty(document, "readyState", { value: "loading", configurable: true });
let done: string[] = [];
const hears = (id: string, kind: string) =>
  part(`#${id}`).addEventListener(kind, (event) => {
    event.preventDefault();
    const { submitter } = event as SubmitEvent;
    done.push(submitter ? `${id} by ${submitter.id}` : id);
  });
for (const id of ["plain", "other", "tab", "nothing"]) hears(id, "click");
for (const id of ["step", "search"]) hears(id, "submit");
Object.assign(globalThis, { matchMedia: () => ({ matches: true }) });
await import("../src/early");
const { watchHeld, watchPresses, whenReleased } = await import("../src/pressing");

test("what is pressed before the scripts are there is done once they are, in order, each once", async () => {
  // The page goes on being read for as long as nobody tells otherwise; what jsdom told is over by now.
  part("#other").click();
  part("#plain").click();
  part("#other").click();
  part("#do").click();
  part("#inner").click();
  part("#nothing").click();
  assert.deepEqual(done, ["nothing"], "text asks for nothing");
  document.dispatchEvent(new Event("DOMContentLoaded"));
  await aTurn();
  await aTurn();
  assert.deepEqual(done, ["nothing", "other", "plain", "step by do", "tab"]);
  done = [];
  part("#plain").click();
  part("#do").click();
  assert.deepEqual(done, ["plain", "step by do"], "nothing is held any more");
});

test("what must not come under a pressed button waits for its click", async () => {
  watchHeld();
  const order: string[] = [];
  part("#plain").addEventListener("click", () => order.push("click"));
  whenReleased(() => order.push("at once"));
  document.dispatchEvent(new Event("pointerdown"));
  whenReleased(() => order.push("first"));
  whenReleased(() => order.push("second"));
  await aTurn();
  assert.deepEqual(order, ["at once"]);
  document.dispatchEvent(new Event("pointerup"));
  part("#plain").click();
  await aTurn();
  assert.deepEqual(order, ["at once", "click", "first", "second"]);
  for (const lost of ["pointercancel", "dragend"]) {
    document.dispatchEvent(new Event("pointerdown"));
    whenReleased(() => order.push(lost));
    document.dispatchEvent(new Event(lost));
    await aTurn();
    assert.equal(order.at(-1), lost);
  }
  document.dispatchEvent(new Event("pointerdown"));
  whenReleased(() => order.push("left"));
  window.dispatchEvent(new Event("blur"));
  await aTurn();
  assert.equal(order.at(-1), "left", "a window that is left holds nothing down");
});

test("the library listens to what is pressed before the press reaches it", () => {
  const listened: Element[] = [];
  Object.assign(window, { htmx: { process: (element: Element) => listened.push(element) } });
  watchPresses();
  part("#inner").click();
  part("#nothing").click();
  part("#step").dispatchEvent(new Event("submit", { bubbles: true, cancelable: true }));
  assert.deepEqual(
    listened.map((e) => e.id),
    ["tab", "step"],
  );
});

test("light or dark is what the system asks for until somebody chooses", async () => {
  const { keepTheme, watchTheme } = await import("../src/theme");
  const theme = () => document.documentElement.dataset.theme;
  assert.equal(theme(), "dark", "before anything was drawn");
  watchTheme();
  const button = part("[data-theme-switch]");
  assert.equal(button.textContent, "Light");
  button.click();
  assert.deepEqual([theme(), button.textContent], ["light", "Dark"]);
  keepTheme();
  assert.equal(theme(), "light", "what was chosen is kept");
  button.click();
  assert.equal(theme(), "dark");
});

test("ink is the page's own, or that of paper where the page says none", async () => {
  const { ink } = await import("../src/theme");
  const style = (text: string) => ({ getPropertyValue: (name: string) => (name === "--color-ink" ? text : "") });
  let said = " #ece6d8 ";
  Object.assign(globalThis, { getComputedStyle: () => style(said) });
  assert.equal(ink(), "#ece6d8");
  said = "";
  assert.match(ink(), /^#[0-9a-f]{6}$/, "lines are drawn before styles are there");
});
