// Answers are shown in the order in which people asked, whenever they come; what the page asks by itself gives way.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import { keepOrder } from "../src/order";
import { aTurn, open, part, told } from "./page";

/** A request as the library has it; its answer is shown by `onload`. */
class Asked {
  onload: ((this: Asked, done: unknown) => void) | null = null;
  responseText = "";
  shown = false;
  private readonly ends: (() => void)[] = [];
  readonly detail: { xhr: Asked; target: Element; shouldSwap: boolean; requestConfig: { verb: string; elt: Element } };

  constructor(verb: string, elt: Element, target = part("#sheet")) {
    this.detail = { xhr: this, target, shouldSwap: true, requestConfig: { verb, elt } };
    this.onload = () => {
      this.detail.shouldSwap = true;
      told("beforeSwap", this.detail);
      this.shown = this.detail.shouldSwap;
    };
  }

  addEventListener(_: "loadend", act: () => void): void {
    this.ends.push(act);
  }

  /** Whether it is made at all. */
  goes = () => told("beforeRequest", this.detail);

  answer(text = ""): boolean {
    this.responseText = text;
    this.onload?.call(this, {});
    this.ends.forEach((act) => act());
    return this.shown;
  }
}

let looks = { count: 0 };
beforeEach(() => {
  open(`<div id="sheet"></div><p id="notice"></p><a id="tab"></a><form id="step"></form><i id="live" data-here></i>`);
  const own = { count: 0 };
  looks = own;
  keepOrder(() => own.count++);
});
const byPeople = (verb = "get", id = verb === "get" ? "#tab" : "#step") => new Asked(verb, part(id));
const byItself = () => new Asked("get", part("#live"), part("#live"));

test("of two tabs that were pressed the second is shown, whichever answers first", () => {
  for (const late of [0, 1]) {
    const asked = [byPeople(), byPeople()];
    asked.forEach((one) => one.goes());
    const first = asked[1 - late].answer();
    const then = asked[late].answer();
    assert.deepEqual(late === 0 ? [then, first] : [first, then], [false, true]);
  }
});

test("the page asks for nothing by itself while somebody waits, and gives way to who asked since", () => {
  const tab = byPeople();
  assert.equal(tab.goes(), true);
  assert.equal(byItself().goes(), false, "what people asked for brings the page as it is");
  assert.equal(tab.answer(), true);
  const live = byItself();
  assert.equal(live.goes(), true);
  const next = byPeople();
  next.goes();
  assert.equal(live.answer(), false, "a tab was pressed since");
  assert.equal(next.answer(), true);
});

test("an answer of its own that nobody overtook is shown", () => {
  const live = byItself();
  live.goes();
  assert.equal(live.answer(), true);
});

test("a step whose answer is not shown still says what it did; a page that was asked for says nothing", () => {
  const said = () => part("#notice").textContent;
  const [step, tab, last] = [byPeople("post"), byPeople(), byPeople()];
  [step, tab, last].forEach((one) => one.goes());
  assert.equal(tab.answer(`<p id="notice">of the tab</p>`), false);
  assert.equal(said(), "");
  assert.equal(step.answer(`<p id="notice"> 12 holes filled. </p>`), false);
  assert.equal(said(), "12 holes filled.");
  assert.equal(last.answer(), true);
});

test("what is asked for other parts of the page goes by its own order", () => {
  const tab = byPeople();
  tab.goes();
  const other = new Asked("get", part("#tab"), part("#notice"));
  assert.equal(other.goes(), true);
  assert.equal(other.answer(), true);
  assert.equal(tab.answer(), true);
});

test("the sheet that is there when the answer comes is the one that is exchanged", () => {
  const tab = byPeople();
  tab.goes();
  part("#sheet").outerHTML = `<div id="sheet" class="new"></div>`;
  tab.answer();
  assert.equal(tab.detail.target, part(".new"));
});

test("the page looks again after every answer, and asks where people are now", async () => {
  const tab = byPeople();
  tab.goes();
  tab.answer();
  await aTurn();
  assert.equal(looks.count, 1);
  const config = { elt: part("#live"), path: "/bodies/1" };
  told("configRequest", config);
  assert.equal(config.path, "/");
  const pressed = { elt: part("#tab"), path: "/bodies/1?tab=figures" };
  told("configRequest", pressed);
  assert.equal(pressed.path, "/bodies/1?tab=figures");
});
