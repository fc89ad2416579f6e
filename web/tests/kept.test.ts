// What is typed and opened stays while the page is drawn again by itself.
import assert from "node:assert/strict";
import { test } from "node:test";
import { remember } from "../src/kept";
import { input, open, part } from "./page";

/** The sheet as the server draws it, with a form for each of two steps that have a field of the same name. */
const SHEET = `<div id="sheet">
  <form hx-post="/bodies/1/steps?row=closed"><input type="hidden" name="step" value="stitch"><input name="up_to" value="0.1"></form>
  <form hx-post="/bodies/1/steps?row=closed"><input type="hidden" name="step" value="fill_holes"><input name="up_to" value="5">
    <select name="how"><option value="plain">plain</option><option value="smooth">smooth</option></select>
    <input type="checkbox" name="cap"><textarea name="why">none</textarea></form>
  <details id="row-closed"><summary>Closed</summary></details>
  <details><summary>More of it</summary></details>
</div><p id="elsewhere"><form><input name="q" value=""></form></p>`;

const field = (step: number, name: string) => input(`#sheet form:nth-of-type(${step}) [name=${name}]`);

/** Draws the page again, with `change` made to what comes. */
function drawnAgain(change = (html: string) => html): void {
  const kept = remember();
  part("#sheet").outerHTML = change(SHEET.slice(0, SHEET.indexOf("<p")));
  kept.open();
  kept.write();
}

test("what is typed stands in the field of its own step, whatever the state of the address", () => {
  open(SHEET);
  field(2, "up_to").value = "7.5";
  drawnAgain((html) => html.replaceAll("row=closed", "row=outward"));
  assert.deepEqual([field(1, "up_to").value, field(2, "up_to").value], ["0.1", "7.5"]);
});

test("what nobody typed is as the server has it now", () => {
  open(SHEET);
  drawnAgain((html) => html.replace('value="0.1"', 'value="0.02"').replace(">none<", ">a reason<"));
  assert.equal(field(1, "up_to").value, "0.02");
  assert.equal(part<HTMLTextAreaElement>("textarea").value, "a reason");
});

test("choices and ticks are kept, and the first option counts as chosen where none is", () => {
  open(SHEET);
  part<HTMLSelectElement>("select").value = "smooth";
  field(2, "cap").checked = true;
  drawnAgain();
  assert.deepEqual([part<HTMLSelectElement>("select").value, field(2, "cap").checked], ["smooth", true]);
  // Back to what the server has: nothing is written over an answer that says otherwise.
  part<HTMLSelectElement>("select").value = "plain";
  field(2, "cap").checked = false;
  drawnAgain((html) => html.replace('<option value="smooth"', '<option selected value="smooth"'));
  assert.deepEqual([part<HTMLSelectElement>("select").value, field(2, "cap").checked], ["smooth", false]);
});

test("what was open is open again, by its id or by what its summary says", () => {
  open(SHEET);
  for (const one of document.querySelectorAll("details")) one.open = true;
  drawnAgain((html) => html.replace("More of it", "Something else"));
  assert.deepEqual([...document.querySelectorAll("details")].map((d) => d.open), [true, false]); // prettier-ignore
});

test("the caret stands where it stood, and is not moved in a field that was not exchanged", () => {
  open(SHEET);
  const text = () => part<HTMLTextAreaElement>("textarea");
  text().value = "two holes are meant to be open";
  text().focus();
  text().setSelectionRange(4, 9);
  drawnAgain();
  assert.equal(document.activeElement, text());
  assert.deepEqual([text().selectionStart, text().selectionEnd], [4, 9]);
  const kept = remember();
  text().setSelectionRange(1, 1);
  kept.write();
  assert.equal(text().selectionStart, 1, "somebody is at it");
});

test("fields that are gone are let go, and those outside of the sheet are not touched", () => {
  open(SHEET);
  field(2, "up_to").value = "9";
  input("[name=q]").value = "keel";
  const kept = remember();
  part("#sheet").innerHTML = "<form hx-post='/bodies/1/steps'><input name='up_to' value='1'></form>";
  input("[name=q]").value = "";
  kept.open();
  kept.write();
  assert.deepEqual([input("#sheet [name=up_to]").value, input("[name=q]").value], ["1", ""]);
});
