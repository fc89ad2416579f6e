// A page that follows its project: what the server tells is written into it, and it is asked for again when it has changed.
import assert from "node:assert/strict";
import { afterEach, beforeEach, mock, test } from "node:test";
import { input, open, part, told } from "./page";

/** A stream as a browser holds one. */
class Stream {
  static all: Stream[] = [];
  onmessage: ((event: { data: string }) => void) | null = null;
  isOpen = true;
  constructor(readonly address: string) {
    Stream.all.push(this);
  }
  close(): void {
    this.isOpen = false;
  }
  tells(what: object): void {
    this.onmessage?.({ data: JSON.stringify({ at: 5, key: "k", surveyed: "", jobs: [], ...what }) });
  }
}

const PAGE = `<main data-events="/bodies/3/events" data-here data-at="4" data-key="k">
  <div id="sheet"><form hx-post="/bodies/3/steps"><input type="hidden" name="step" value="stitch"><input name="tolerance" value="0.1"></form>
  <details id="row-closed"><summary>Closed</summary></details></div>
  <li data-job="8"><span class="meter"><i></i></span><span data-phrase>waiting</span><span data-time></span></li>
  <p id="surveying"></p></main>`;

let asked: string[] = [];
let hidden = false;

/** Opens a page and has it followed; what it asks for again is noted. */
async function follow(page = PAGE): Promise<Stream | undefined> {
  open(page);
  Object.defineProperty(globalThis, "EventSource", { value: Stream, configurable: true, writable: true });
  Object.defineProperty(document, "hidden", { get: () => hidden, configurable: true });
  for (const what of ["main", "#surveying"])
    document.querySelector(what)?.addEventListener("changed", () => asked.push(what));
  // Each page has its scripts anew.
  const { followEvents } = await import("../src/events");
  followEvents();
  return Stream.all.at(-1);
}

beforeEach(() => {
  mock.timers.enable({ apis: ["setTimeout", "setInterval"] });
  [asked, hidden, Stream.all] = [[], false, []];
});
afterEach(() => mock.timers.reset());

test("how far a job has come is written where the job stands", async () => {
  const stream = await follow();
  assert.equal(stream!.address, "/bodies/3/events");
  stream!.tells({
    jobs: [
      { id: 8, fraction: 0.256, phrase: "closing holes", time: "12 s" },
      { id: 9, fraction: 1, phrase: "", time: "" },
    ],
  });
  assert.deepEqual([part("[data-phrase]").textContent, part("[data-time]").textContent], ["closing holes", "12 s"]);
  assert.equal(part(".meter i").style.width, "26%");
  assert.deepEqual(asked, [], "the page itself is the same");
});

test("a page that has changed is asked for again, one that was drawn later is not", async () => {
  const stream = await follow();
  stream!.tells({ at: 4, key: "other" });
  assert.deepEqual(asked, [], "it knows what was so when it was drawn");
  stream!.tells({ at: 6, key: "other" });
  assert.deepEqual(asked, ["main"]);
});

test("a survey that came alone draws its own part again", async () => {
  const stream = await follow(PAGE.replace('data-key="k"', 'data-key="k" data-surveyed="1"'));
  stream!.tells({ surveyed: "1" });
  assert.deepEqual(asked, []);
  stream!.tells({ surveyed: "2" });
  assert.deepEqual(asked, ["#surveying"]);
});

test("a page that says nothing to follow follows nothing", async () => {
  assert.equal(await follow(`<main></main>`), undefined);
});

test("a tab that nobody sees lets go, and takes up again when it is seen", async () => {
  const stream = await follow();
  hidden = true;
  document.dispatchEvent(new Event("visibilitychange"));
  assert.deepEqual([stream!.isOpen, Stream.all.length], [false, 1]);
  hidden = false;
  document.dispatchEvent(new Event("visibilitychange"));
  assert.deepEqual([Stream.all.length, Stream.all[1].isOpen], [2, true]);
});

test("a stream that went silent is opened anew; one that is told now and then is not", async () => {
  const now = mock.method(performance, "now", () => at);
  let at = 0;
  const stream = await follow();
  for (let i = 0; i < 6; i++) {
    at += 10_000;
    stream!.tells({});
    mock.timers.tick(10_000);
  }
  assert.ok(stream!.isOpen);
  at += 26_000;
  mock.timers.tick(5_000);
  assert.equal(stream!.isOpen, false);
  assert.ok(Stream.all.at(-1)!.isOpen);
  now.mock.restore();
});

/** The library draws the sheet again, asked by `who`, with what `answer` says. */
function drawn(who: string, path: string, answer = ""): void {
  const detail = {
    shouldSwap: true,
    requestConfig: { elt: part(who), path, verb: "post" },
    xhr: { responseText: answer },
  };
  told("beforeSwap", detail);
  part("#sheet").outerHTML = PAGE.slice(PAGE.indexOf('<div id="sheet"'), PAGE.indexOf("<li"));
  told("afterSwap", detail);
  told("afterSettle", detail);
}

test("what was typed and opened stays when the page draws itself again, previews, or refuses", async () => {
  const typed = () => [input("[name=tolerance]").value, part<HTMLDetailsElement>("#row-closed").open];
  for (const [who, path, answer] of [
    ["main", "/bodies/3", ""],
    ["form", "/bodies/3/previews?row=closed", ""],
    ["form", "/bodies/3/repairs/preview/2", ""],
    ["form", "/bodies/3/steps", `<p id="notice"><div>Tolerance goes from 0 to 1.</div></p>`],
  ]) {
    await follow();
    input("[name=tolerance]").value = "0.7";
    part<HTMLDetailsElement>("#row-closed").open = true;
    drawn(who, path, answer);
    assert.deepEqual(typed(), ["0.7", true], path);
  }
  await follow();
  input("[name=tolerance]").value = "0.7";
  drawn("form", "/bodies/3/steps", `<p id="notice"> </p>`);
  assert.deepEqual(typed(), ["0.1", false], "a step that was done begins anew");
});
