// What the view shows: this body and its boundaries, others beside it; kept while the tab is open.
import assert from "node:assert/strict";
import { test } from "node:test";
import { UNNAMED } from "../src/geometry";
import { shown } from "../src/tools/shown";
import { scene, stage, type Stage } from "./bench";
import { aTurn, input, part, tick, type } from "./page";

const boundaries = ["inlet", 'a "b" <c>'].map((name, colour) => ({ name, at: [0, 0, 0] as [number, number, number], colour })); // prettier-ignore
const other = (body: number, name: string, sized = true) => ({ body, name, revision: 10 + body, sized, datums: [] });

/** The panel opened on a page; other bodies come at once from a server that has them. */
function showing(about = scene({ boundaries, others: [other(4, "bed"), other(5, "Fin <1>", false)] })): Stage {
  const bench = stage(about);
  globalThis.fetch = (async () => new Response("", { status: 404, statusText: "gone" })) as typeof fetch;
  shown.attach!(bench);
  shown.changed!(bench);
  shown.press!(bench, "v");
  return bench;
}

function select(what: string, value: string): void {
  const list = part<HTMLSelectElement>(what);
  list.value = value;
  list.dispatchEvent(new Event("change", { bubbles: true }));
}

test("boundaries and bodies are listed by the names that people gave, whatever signs they have", () => {
  showing();
  const rows = [...document.querySelectorAll("#shown-list label")].map((l) => l.textContent!.trim());
  for (const name of ["inlet", 'a "b" <c>', "unnamed"]) assert.ok(rows.includes(name), name);
  assert.ok(rows.some((r) => r.endsWith("Fin <1> no unit yet")) && rows.some((r) => r.endsWith("bed")));
  assert.equal(document.querySelector("c"), null, "a name is no part of the page");
});

test("boundaries are hidden one by one, and come back with another state", () => {
  const bench = showing();
  tick("[data-boundary-shown='0']", false);
  tick(`[data-boundary-shown='${UNNAMED}']`, false);
  assert.equal(bench.done.at(-1), `hideBoundaries {0,${UNNAMED}}`);
  tick("[data-boundary-shown='0']");
  assert.equal(bench.done.at(-1), `hideBoundaries {${UNNAMED}}`);
  shown.changed!(bench);
  assert.ok(bench.done.includes("hideBoundaries {}"));
  assert.ok(input(`[data-boundary-shown='${UNNAMED}']`).checked);
});

test("how this body is drawn is chosen: as a whole, edges, inside, in perspective", () => {
  const bench = showing();
  select("[data-own]", "through");
  assert.equal(bench.done.at(-1), "setOwn through");
  tick("[data-edges]");
  tick("[data-insides]");
  assert.deepEqual(bench.done.slice(-2), ["setEdges true", "setInsides true"]);
  tick("[data-perspective]");
  assert.deepEqual([bench.done.at(-1), localStorage.getItem("in perspective")], ["setPerspective true", "true"]);
  assert.equal(document.querySelector("[data-full-size]"), null, "it has no members");
  select("[data-own]", "shown");
});

test("lengths are shown in what is chosen, from then on", () => {
  showing();
  select("[data-lengths]", "in");
  assert.equal(localStorage.getItem("lengths shown in"), "in");
  select("[data-lengths]", "mm");
});

test("other bodies are asked for once they are wanted; what cannot be had is told by name", async () => {
  const bench = showing();
  const asked: string[] = [];
  globalThis.fetch = (async (address: string) => {
    asked.push(address);
    return new Response("", { status: 404 });
  }) as typeof fetch;
  select("[data-beside='4']", "through");
  await aTurn();
  assert.deepEqual(
    asked.map((a) => a.split("?")[0]),
    ["/geometry/14/view"],
  );
  assert.match(part("#notice").textContent!, /^“bed”: /);
  assert.deepEqual(JSON.parse(sessionStorage.getItem("shown beside")!), [[4, "through"]]);
  Object.assign(bench.view, { lookBeside: () => true });
  part("[data-beside-all='shown']").click();
  assert.deepEqual(JSON.parse(sessionStorage.getItem("shown beside")!), [[4, "shown"], [5, "shown"]]); // prettier-ignore
  assert.equal(bench.done.filter((d) => d.startsWith("keepBeside")).at(-1), "keepBeside [14,15]");
  part("[data-beside-all='hidden']").click();
  assert.equal(bench.done.filter((d) => d.startsWith("keepBeside")).at(-1), "keepBeside []");
  await aTurn();
  assert.equal(asked.length, 1, "what is there is not asked for again");
});

test("a list of many bodies has a field that finds them", () => {
  showing(scene({ others: Array.from({ length: 12 }, (_, i) => other(20 + i, `Frame ${i}`)) }));
  type("#shown-filter", " FRAME 1");
  const found = [...document.querySelectorAll<HTMLElement>("[data-name]")].filter((row) => !row.hidden);
  assert.deepEqual(
    found.map((row) => row.dataset.name),
    ["frame 1", "frame 10", "frame 11"],
  );
  showing(scene());
  assert.match(part("#shown-list").textContent!, /no other body/);
});

test("the panel closes by the key that opened it", () => {
  const bench = showing();
  assert.ok(!part("#shown-list").hidden && part("#shown").classList.contains("on"));
  shown.press!(bench, "v");
  assert.ok(part("#shown-list").hidden && !part("#shown").classList.contains("on"));
});
