// Files that are dropped on a project: asked once what they are for, sent as they are, stopped, refused, and told.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import { aTurn, input, open, part } from "./page";

const PAGE = `<form id="drop" data-project="4">
  <input type="file" accept=".stl,.step"><input type="file" id="folder"><p id="left-out"></p>
  <fieldset id="ask" hidden><b id="asked-for"></b>
    <button type="button" data-destination="fluid">fluid</button><button type="button" data-destination="solid">solid</button>
    <button type="button">Cancel</button></fieldset>
  <ul id="sending"></ul></form>`;

type Heard = Record<string, (event: never) => void>;

/** Who listens, by what. */
const listeners = (heard: Heard) => ({
  addEventListener: (kind: string, act: (event: never) => void) => void (heard[kind] = act),
});

/** A request that is answered when the test says so. */
class Request {
  static sent: Request[] = [];
  private readonly heard: Heard = {};
  private readonly onTheWay: Heard = {};
  readonly upload = listeners(this.onTheWay);
  readonly addEventListener = listeners(this.heard).addEventListener;
  address = "";
  status = 0;
  responseText = "";
  body: File | null = null;
  isAborted = false;
  open(verb: string, address: string): void {
    this.address = `${verb} ${address}`;
  }
  send(body: File): void {
    this.body = body;
    Request.sent.push(this);
  }
  abort(): void {
    this.isAborted = true;
  }
  answer(status: number, text: string): void {
    [this.status, this.responseText] = [status, text];
    this.heard.load({} as never);
  }
  breaks(): void {
    this.heard.error({} as never);
  }
  goes(loaded: number, total: number): void {
    this.onTheWay.progress({ loaded, total } as never);
  }
}

const file = (name: string) => ({ name }) as File;

// The script looks for a form as it is loaded: there is none yet.
open("");
const { attachUpload } = await import("../src/upload");

/** Opens the page with what the browser kept. */
function page(kept: string | null = null): void {
  open(PAGE, "http://127.0.0.1/projects/4");
  if (kept) localStorage.setItem("destination", kept);
  Object.defineProperty(globalThis, "XMLHttpRequest", { value: Request, configurable: true, writable: true });
  attachUpload(part<HTMLFormElement>("#drop"));
}

/** Chooses files with a field, as a browser lets one. */
function choose(selector: string, ...files: File[]): void {
  const field = input(selector);
  Object.defineProperty(field, "files", { value: files, configurable: true });
  field.dispatchEvent(new Event("change", { bubbles: true }));
}

const press = (destination: string) => part(`[data-destination=${destination}]`).click();
const lines = () => [...document.querySelectorAll("#sending li")].map((li) => li.textContent);

beforeEach(() => {
  Request.sent = [];
});

test("what is dropped together is asked about once, and each file is sent as it is", () => {
  page();
  choose("[type=file]", file("a.stl"), file("b & c.step"));
  assert.deepEqual([part("#ask").hidden, part("#asked-for").textContent], [false, "these 2 files"]);
  press("solid");
  assert.ok(part("#ask").hidden);
  assert.deepEqual(
    Request.sent.map((r) => r.address),
    [
      "PUT /projects/4/files?name=a.stl&destination=solid",
      "PUT /projects/4/files?name=b%20%26%20c.step&destination=solid",
    ],
  );
  assert.deepEqual(
    Request.sent.map((r) => r.body?.name),
    ["a.stl", "b & c.step"],
  );
  assert.deepEqual(lines(), ["a.stlsendingCancel", "b & c.stepsendingCancel"]);
});

test("the last answer is offered first the next time", () => {
  page("solid");
  choose("[type=file]", file("a.stl"));
  assert.equal(part("#asked-for").textContent, "“a.stl”");
  assert.ok(part("[data-destination=solid]").classList.contains("ink"));
  assert.equal(document.activeElement, part("[data-destination=solid]"));
  press("fluid");
  assert.equal(localStorage.getItem("destination"), "fluid");
});

test("who says nothing sends nothing, and what came while it was asked goes along", () => {
  page();
  choose("[type=file]", file("a.stl"));
  choose("[type=file]", file("b.stl"));
  assert.equal(part("#asked-for").textContent, "these 2 files");
  part("#ask button:not([data-destination])").click();
  assert.deepEqual([Request.sent.length, part("#ask").hidden], [0, true]);
  choose("[type=file]", file("c.stl"));
  press("solid");
  assert.deepEqual(
    Request.sent.map((r) => r.body?.name),
    ["c.stl"],
    "what was put off is not sent later",
  );
});

test("of a folder what is of a format is sent, and how much is not is told", () => {
  page();
  choose("#folder", file("a.STL"), file("notes.txt"), file("b.step"), file("c.stl.bak"));
  assert.equal(part("#asked-for").textContent, "these 2 files");
  assert.equal(part("#left-out").textContent, "2 files of the folder left out: of no format that is read.");
  press("solid");
  assert.deepEqual(
    Request.sent.map((r) => r.body?.name),
    ["a.STL", "b.step"],
  );
  choose("#folder", file("d.stl"));
  assert.equal(part("#left-out").textContent, "");
});

test("a folder that is dropped is gone through with its folders, a hundred entries at a time", async () => {
  page();
  const leaf = (name: string) => ({
    name,
    isFile: true,
    isDirectory: false,
    file: (done: (f: File) => void) => done(file(name)),
  });
  const folder = (name: string, inner: { name: string }[]) => ({
    name,
    isFile: false,
    isDirectory: true,
    createReader: () => {
      const left = [...inner];
      return { readEntries: (done: (some: unknown[]) => void) => done(left.splice(0, 100)) };
    },
  });
  const many = Array.from({ length: 250 }, (_, i) => leaf(`part ${String(249 - i).padStart(3, "0")}.stl`));
  const items = [
    { webkitGetAsEntry: () => folder("all", [...many, folder("deeper", [leaf("z.step"), leaf("readme")])]) },
  ];
  part("#drop").dispatchEvent(
    Object.assign(new Event("drop", { cancelable: true }), { dataTransfer: { items, files: [] } }),
  );
  for (let i = 0; i < 5; i++) await aTurn();
  assert.equal(part("#asked-for").textContent, "these 251 files");
  assert.match(part("#left-out").textContent!, /^1 file of the folder/);
  press("solid");
  const sent = Request.sent.map((r) => r.body!.name);
  assert.deepEqual([sent[0], sent[1], sent.at(-1)], ["z.step", "part 000.stl", "part 249.stl"]);
});

test("progress is drawn; what has arrived goes from the list and the page is told", () => {
  page();
  let told = 0;
  document.body.addEventListener("arrived", () => told++);
  choose("[type=file]", file("a.stl"));
  press("solid");
  Request.sent[0].goes(25, 200);
  assert.equal(part(".meter i").style.width, "12.5%");
  Request.sent[0].answer(202, "{}");
  assert.deepEqual([lines(), told], [[], 1]);
});

test("what a file of several left out stays until it is dismissed", () => {
  page();
  choose("[type=file]", file("all.zip"));
  press("solid");
  Request.sent[0].answer(202, JSON.stringify({ left: ["notes.txt", "x.bin"], notes: ["Two names were alike."] }));
  assert.deepEqual(lines(), [
    "all.zipLeft out, of no format that is read: notes.txt, x.bin. Two names were alike.Dismiss",
  ]);
  part("#sending button").click();
  assert.deepEqual(lines(), []);
});

test("a refusal is told in the server's words, a broken connection with what to do", () => {
  page();
  choose("[type=file]", file("a.stl"), file("b.stl"), file("c.stl"));
  press("solid");
  Request.sent[0].answer(422, `<p id="notice">a.stl: the file holds no facets</p>`);
  Request.sent[1].answer(500, "");
  Request.sent[2].breaks();
  assert.deepEqual(lines(), [
    "a.stla.stl: the file holds no facetsDismiss",
    "b.stlThe server answered 500.Dismiss",
    "c.stlThe connection broke off. Send the file again.Dismiss",
  ]);
  assert.equal(document.querySelectorAll("#sending li.failed").length, 3);
});

test("cancelling stops a file on its way", () => {
  page();
  choose("[type=file]", file("a.stl"));
  press("solid");
  part("#sending button").click();
  assert.deepEqual([Request.sent[0].isAborted, lines()], [true, []]);
});
