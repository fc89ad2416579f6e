// Requests that fail are told in the page, in the server's words where it has some; sizes are written again in every unit.
import assert from "node:assert/strict";
import { test } from "node:test";
import { choose, shownIn } from "../src/lengths";
import { notify, watchRequests } from "../src/requests";
import { open, part, told } from "./page";

test("a refusal is told as the server says it, anything else by its number, silence with what to do", () => {
  open(`<p id="notice">before</p>`);
  watchRequests();
  const refused = (status: number, responseText: string) => told("responseError", { xhr: { status, responseText } });
  refused(422, `<html><p id="notice">Facets are needed first.</p></html>`);
  assert.equal(part("#notice").textContent, "Facets are needed first.");
  refused(500, "<h1>broken</h1>");
  assert.equal(part("#notice").textContent, "The server answered 500.");
  told("sendError", {});
  assert.match(part("#notice").textContent!, /does not answer.*nothing is lost/);
  open("<main></main>");
  notify("nobody hears it");
  assert.equal(document.body.textContent, "", "a page without a place for it stays as it is");
});

test("quantities are written in the unit that is chosen, by the power that they have, and back as they were", () => {
  open(`<data data-power="1" value="254">254.0</data><data data-power="2" value="645.16">645.2</data>
    <data data-power="3" value="16387.064">16 387</data><b data-symbol="2">mm²</b>
    <i data-size-in="mm" data-size="25.4 50.8 0">25.4 × 50.8 × 0 mm</i><u data-size-in="units" data-size="3 4 5">3 × 4 × 5 units</u>`);
  const all = () => [...document.body.children].map((e) => e.textContent);
  const before = all();
  choose("in");
  assert.deepEqual(all(), ["10", "1", "1", "in²", "1 × 2 × 0 in", "3 × 4 × 5 units"]);
  choose("m");
  assert.deepEqual(all(), ["0.254", "0.0006452", "0.00001639", "m²", "0.0254 × 0.0508 × 0 m", "3 × 4 × 5 units"]);
  choose("mm");
  assert.deepEqual(all(), before);
  assert.deepEqual(shownIn("units", "in"), { symbol: "units", factor: 1 }, "what has no unit is in no other");
  localStorage.setItem("lengths shown in", "furlong");
  assert.equal(shownIn("mm").symbol, "mm", "a unit that nobody knows is none");
});
