// The bodies of a project: found, sorted, folded and ticked, and all of it kept while the list is drawn again.
import assert from "node:assert/strict";
import { test } from "node:test";
import { input, open, part, tick, told, type } from "./page";

interface Body {
  id: number;
  name: string;
  facets: number;
  group?: string;
  hidden?: boolean;
}

const BODIES: Body[] = [
  { id: 1, name: "Keel fin", facets: 900, group: "Hull" },
  { id: 2, name: "Pump bed", facets: 12 },
  { id: 3, name: "Keel bolt", facets: 88, group: "Hull" },
  { id: 4, name: "Winch arm", facets: 1200, group: "Deck" },
  { id: 5, name: "Old pump", facets: 7, hidden: true },
];

const line = ({ id, name, facets, group = "", hidden }: Body) =>
  `<tbody data-name="${name}" data-find="${name} ${group}" data-facets="${facets}" data-group="${group}"${hidden ? " data-hidden" : ""}>
    <tr><td><input type="checkbox" data-tick name="body" value="${id}">${name}</td></tr></tbody>`;

const page = (
  bodies: Body[],
) => `<div id="find-bar"><input id="find"><input type="checkbox" id="show-hidden"><span id="found"></span></div>
  <table id="bodies"><thead><tr><th><input type="checkbox" id="tick-all"></th>
    <th><button data-sort="name">Name</button></th><th><button data-sort="facets">Facets</button></th></tr></thead>
    ${bodies.map(line).join("")}</table>
  <form id="together" hidden><span id="ticked"></span></form>`;

/** What is listed, in its order. */
const listed = () => [...document.querySelectorAll<HTMLElement>("tbody[data-name]")].filter((l) => !l.hidden).map((l) => l.dataset.name); // prettier-ignore
const press = (selector: string) => part(selector).click();

/** The list comes anew, as the server has it. */
function comesAgain(bodies: Body[]): void {
  for (const old of document.querySelectorAll("#bodies tbody")) old.remove();
  part("#bodies").insertAdjacentHTML("beforeend", bodies.map(line).join(""));
  told("afterSwap", {});
}

open(page(BODIES), "http://127.0.0.1/projects/3");
await import("../src/manifest");

test("bodies stand in their groups, in the order they came in, and hidden ones are not listed", () => {
  assert.deepEqual(listed(), ["Pump bed", "Winch arm", "Keel fin", "Keel bolt"]);
  assert.deepEqual([...document.querySelectorAll("[data-fold]")].map((h) => h.textContent), ["Deck (1)", "Hull (2)"]); // prettier-ignore
});

test("a column sorts within the groups, numbers by size, and once more the other way round", () => {
  press("[data-sort=facets]");
  assert.deepEqual(listed(), ["Pump bed", "Winch arm", "Keel bolt", "Keel fin"]);
  assert.equal(part("th:nth-child(3)").getAttribute("aria-sort"), "ascending");
  press("[data-sort=facets]");
  assert.deepEqual(listed(), ["Pump bed", "Winch arm", "Keel fin", "Keel bolt"]);
  assert.equal(part("th:nth-child(3)").getAttribute("aria-sort"), "descending");
  press("[data-sort=name]");
  assert.deepEqual(listed(), ["Pump bed", "Winch arm", "Keel bolt", "Keel fin"]);
  assert.equal(part("th:nth-child(3)").getAttribute("aria-sort"), "none");
});

test("every word that is typed is looked for, in folded groups too", () => {
  press("[data-fold=Hull]");
  assert.deepEqual(listed(), ["Pump bed", "Winch arm"]);
  assert.equal(part("[data-fold=Hull]").getAttribute("aria-expanded"), "false");
  type("#find", " KEEL  hull ");
  assert.deepEqual(listed(), ["Keel bolt", "Keel fin"]);
  assert.equal(part("#found").textContent, "2 of 5 shown");
  type("#find", "keel deck");
  assert.deepEqual(listed(), []);
  type("#find", "");
  assert.deepEqual(listed(), ["Pump bed", "Winch arm"]);
  press("[data-fold=Hull]");
});

test("what is ticked stays in sight, is told, and goes with the request as it is kept", () => {
  tick("[value='3']");
  type("#find", "pump");
  assert.deepEqual(listed(), ["Pump bed", "Keel bolt"], "it is what something is done with");
  assert.equal(part("#ticked").textContent, "1 ticked:");
  assert.equal(part("#together").hidden, false);
  assert.deepEqual([input("#tick-all").checked, input("#tick-all").indeterminate], [false, true]);
  const formData = new FormData();
  formData.append("body", "99");
  told("configRequest", { elt: part("#together"), formData });
  assert.deepEqual(formData.getAll("body"), ["3"]);
  type("#find", "");
});

test("all that is listed is ticked at once, and nothing else", () => {
  type("#find", "keel");
  tick("#tick-all");
  type("#find", "");
  const ticked = () => [...document.querySelectorAll<HTMLInputElement>("[data-tick]:checked")].map((box) => Number(box.value)); // prettier-ignore
  assert.deepEqual(ticked().sort(), [1, 3]);
  tick("#tick-all", false);
  assert.deepEqual(ticked(), []);
  assert.equal(part("#together").hidden, true);
});

test("the list that comes anew is as it was made, without what is gone", () => {
  tick("[value='1']");
  tick("[value='2']");
  tick("#show-hidden");
  comesAgain(BODIES.filter((b) => b.id !== 2).reverse());
  assert.deepEqual(listed(), ["Old pump", "Winch arm", "Keel bolt", "Keel fin"]);
  assert.equal(part("#ticked").textContent, "1 ticked:");
  assert.equal(input("#show-hidden").checked, true);
  const kept = JSON.parse(sessionStorage.getItem("bodies of /projects/3")!) as { ticked: string[]; sort: string };
  assert.deepEqual([kept.ticked, kept.sort], [["1"], "name"], "a reload finds the same");
});

test("an empty project has nothing to find", () => {
  comesAgain([]);
  assert.equal(part("#find-bar").hidden, true);
  assert.equal(input("#tick-all").checked, false);
});
