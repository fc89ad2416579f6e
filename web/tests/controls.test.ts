// Tables that are sorted, found in and ticked; the list of bodies in the band; sizes in the unit that was chosen; files of a folder.
import assert from "node:assert/strict";
import { test } from "node:test";
import { choose, showSizes } from "../src/lengths";
import { watchSwitch } from "../src/switch";
import { tickMembers, toggleMember, watchTables } from "../src/tables";
import { aTurn, input, open, part, tick, told, type } from "./page";

const MEMBERS = `<input data-find-in="members"><input type="checkbox" data-member-all>
  <table id="members"><thead><tr><th></th><th><button data-order>Section</button></th><th><button data-order>Length</button></th></tr></thead><tbody>
  ${[
    [1, "HEA 200", "2\u2009400"],
    [2, "IPE 80", "−3"],
    [3, "IPE 200", "12.5"],
  ]
    .map(
      ([n, section, length]) =>
        `<tr><td><input type="checkbox" data-member-tick value="${n}"></td><td>${section}</td><td>${length}</td></tr>`,
    ) // prettier-ignore
    .join("")}</tbody></table>
  <input data-ticked-members data-all="all"><input data-ticked-members><span id="members-ticked"></span>`;

const column = (k: number) => [...document.querySelectorAll<HTMLTableRowElement>("#members tbody tr")].map((row) => row.cells[k].textContent); // prettier-ignore
const meant = () => [...document.querySelectorAll<HTMLInputElement>("[data-ticked-members]")].map((f) => f.value);

function members(): void {
  open(MEMBERS);
  watchTables();
}

test("a table is sorted by what its cells say, and back", () => {
  members();
  const [section, length] = document.querySelectorAll<HTMLElement>("[data-order]");
  length.click();
  assert.deepEqual(column(2), ["−3", "12.5", "2\u2009400"]);
  length.click();
  assert.deepEqual(column(2), ["2\u2009400", "12.5", "−3"]);
  section.click();
  assert.deepEqual(column(1), ["HEA 200", "IPE 200", "IPE 80"]);
  assert.deepEqual([...document.querySelectorAll("th[aria-sort]")].length, 1);
});

test("ticked members go into every form that asks for some; all, where none is", () => {
  members();
  assert.deepEqual([meant(), part("#members-ticked").textContent], [["all", ""], "none ticked: all"]);
  tick("[value='1']");
  tick("[value='3']");
  assert.deepEqual([meant(), part("#members-ticked").textContent], [["#1, 3", "#1, 3"], "2 ticked"]);
  toggleMember(2);
  assert.deepEqual(meant(), ["#1-3", "#1-3"]);
  toggleMember(2);
  toggleMember(77);
  assert.deepEqual(meant(), ["#1, 3", "#1, 3"]);
});

test("what is looked for leaves rows that have every word, and those that are ticked", () => {
  members();
  const shown = () => [...document.querySelectorAll<HTMLTableRowElement>("#members tbody tr")].filter((r) => !r.hidden).map((r) => r.cells[1].textContent); // prettier-ignore
  tick("[value='1']");
  type("[data-find-in]", "ipe 200");
  assert.deepEqual(shown(), ["HEA 200", "IPE 200"]);
  tick("[data-member-all]");
  assert.deepEqual(meant()[0], "#1, 3", "those in sight alone");
  type("[data-find-in]", "");
  assert.equal(shown().length, 3);
});

test("members picked in the view are ticked alone, added or taken away, those without a row too", () => {
  members();
  assert.equal(tickMembers([2, 900, 901], false, false), true);
  assert.equal(meant()[0], "#2, 900-901");
  tickMembers([3, 902], true, false);
  assert.equal(meant()[0], "#2-3, 900-902");
  tickMembers([2, 901], false, true);
  assert.equal(meant()[0], "#3, 900, 902");
  tickMembers([1], false, false);
  assert.equal(meant()[0], "#1");
  tickMembers([500], true, false);
  tick("[data-member-all]", false);
  assert.equal(meant()[0], "all", "all boxes empty: those beyond the table as well");
  open("");
  assert.equal(tickMembers([1], false, false), false, "there is no table");
});

const BAND = `<div id="live"></div><p id="other" tabindex="0"></p><details class="switch" open><summary>Keel fin</summary><input data-filter><ul>
  ${["Keel fin", "Pump bed", "Pump cover"].map((name) => `<li><a href="#${name}"><span>${name}</span> fluid</a></li>`).join("")}</ul></details>`; // prettier-ignore

test("what is typed leaves the bodies of that name, and Enter goes to the first", () => {
  open(BAND);
  watchSwitch();
  type("[data-filter]", "PUMP ");
  assert.deepEqual([...document.querySelectorAll<HTMLElement>("li")].map((l) => l.hidden), [true, false, false]); // prettier-ignore
  const went: string[] = [];
  document.addEventListener("click", (e) => went.push((e.target as HTMLElement).closest("a")?.getAttribute("href") ?? "")); // prettier-ignore
  const key = (name: string) => input("[data-filter]").dispatchEvent(new window.KeyboardEvent("keydown", { key: name, bubbles: true })); // prettier-ignore
  key("Enter");
  assert.deepEqual(went, ["#Pump bed"]);
  type("[data-filter]", "fluid");
  key("Enter");
  assert.deepEqual(went, ["#Pump bed"], "what a body is for is no name");
  key("Escape");
  assert.equal(part<HTMLDetailsElement>("details").open, false);
});

test("the list is not taken away from whoever is at it, and comes anew when they leave", async () => {
  open(BAND);
  watchSwitch();
  let asked = 0;
  part("#live").addEventListener("changed", () => asked++);
  const swap = () => ({ target: Object.assign(document.createElement("div"), { id: "band" }), shouldSwap: true });
  const while_ = swap();
  told("oobBeforeSwap", while_);
  assert.equal(while_.shouldSwap, false);
  input("[data-filter]").focus();
  part("#other").click();
  assert.equal(part<HTMLDetailsElement>("details").open, false, "a click elsewhere closes it");
  part("#other").focus();
  await aTurn();
  assert.equal(asked, 1);
  const after = swap();
  told("oobBeforeSwap", after);
  assert.equal(after.shouldSwap, true);
});

test("sizes and quantities are said in the unit that is chosen, and come back as they were written", () => {
  open(`<data value="2540" data-power="1">2 540</data><data value="645.16" data-power="2">645.2</data><b data-symbol="1">mm</b>
    <b data-symbol="2">mm²</b><i data-size-in="mm" data-size="25.4 50.8 1270">25.4 × 50.8 × 1 270 mm</i><i data-size-in="ft" data-size="1 2 3">1 × 2 × 3 ft</i>`); // prettier-ignore
  const said = () => [...document.body.children].map((e) => e.textContent);
  const before = said();
  choose("in");
  assert.deepEqual(said(), ["100", "1", "in", "in²", "1 × 2 × 50 in", "1 × 2 × 3 ft"]);
  choose("m");
  assert.deepEqual(said(), ["2.54", "0.0006452", "m", "m²", "0.0254 × 0.0508 × 1.27 m", "1 × 2 × 3 ft"]);
  choose("mm");
  assert.deepEqual(said(), before);
  localStorage.setItem("lengths shown in", "furlong");
  showSizes();
  assert.deepEqual(said(), before, "what is kept is no unit");
});

test("of a folder the files of a format are sent, whatever the case of their endings", async () => {
  const { readable } = await import("../src/upload");
  const files = ["Keel.STL", "notes.txt", "pump.step", "step", "a.stl.bak"].map((name) => ({ name }) as File);
  const { files: fit, left } = readable(files, [".stl", ".step"]);
  assert.deepEqual([fit.map((f) => f.name), left], [["Keel.STL", "pump.step"], 3]);
});
