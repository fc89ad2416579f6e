// Requests that fail are told in the page, in the server's words where it has some.
import assert from "node:assert/strict";
import { test } from "node:test";
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
