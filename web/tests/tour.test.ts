// The first way through the demo: a note that goes on by what the page tells, over pages, until somebody ends it.
import assert from "node:assert/strict";
import { test } from "node:test";
import { followTour, STOPS } from "../src/tour";
import { open, part, told } from "./page";

const row = (id: string, verdict: string) => `<details id="row-${id}"><span class="w"> ${verdict} </span></details>`;
const BEGIN = `<button data-tour="begin">Show me</button>`;

/** Goes to a page with what the browser kept. */
function go(address: string, body = "", kept = localStorageOf()): void {
  open(BEGIN + body, `http://127.0.0.1${address}`);
  if (kept !== null) localStorage.setItem("first way", kept);
  followTour();
}

function localStorageOf(): string | null {
  return typeof localStorage === "undefined" ? null : localStorage.getItem("first way");
}

const note = () => document.querySelector<HTMLElement>("#tour");
const number = () => note()?.querySelector("b")?.textContent;
const press = (what: string) => part(`[data-tour="${what}"]`).click();

test("nobody is shown the way who has not asked for it", () => {
  go("/projects/1", "", null);
  assert.equal(note(), null);
});

test("the way begins with a press, says its first stop and goes on with the page", () => {
  go("/", "", null);
  press("begin");
  assert.equal(number(), `1 of ${STOPS.length}`);
  assert.equal(note()!.querySelector("p")!.textContent, STOPS[0].says);
  assert.equal(note()!.getAttribute("aria-label"), "First way through the demo");
  go("/projects/1");
  assert.equal(number(), `2 of ${STOPS.length}`);
  go("/bodies/3", row("unit_known", "not met"));
  assert.equal(number(), `3 of ${STOPS.length}`);
});

test("what is done already is passed over, whether it was met or waived", () => {
  go("/bodies/3", row("unit_known", "met") + row("axes_chosen", "waived") + row("closed", "not met"), "2");
  assert.equal(number(), `5 of ${STOPS.length}`);
  const met = ["closed", "no_crossings", "outward", "all_named", "inlet_present", "outlet_present"].map((r) =>
    row(r, "met"),
  );
  go("/bodies/3", met.join(""));
  assert.equal(number(), `7 of ${STOPS.length}`);
  go("/handovers/1");
  assert.equal(number(), `8 of ${STOPS.length}`);
  assert.ok(part("[data-tour=next]").hidden, "behind the last there is none");
});

test("a sheet that is drawn again takes the note along", () => {
  go("/bodies/3", row("unit_known", "not met"), "2");
  part("#row-unit_known .w").textContent = "met";
  told("afterSettle", {});
  assert.equal(number(), `4 of ${STOPS.length}`);
});

test("who presses Go on goes on, and who ends it is not asked again", () => {
  go("/bodies/3", row("unit_known", "not met"), "2");
  press("next");
  assert.equal(number(), `4 of ${STOPS.length}`);
  press("end");
  assert.equal(note(), null);
  go("/projects/1");
  assert.equal(note(), null);
  press("begin");
  assert.equal(number(), `2 of ${STOPS.length}`, "it can be begun again");
});
