// Picks of faces: what goes to the server, what is coloured and said, and whose answer counts.
import assert from "node:assert/strict";
import { test } from "node:test";
import { DISTANCE_GROUP, PICK_GROUP } from "../src/drawing";
import { Naming } from "../src/naming";
import type { Place } from "../src/scene";
import type { View } from "../src/view";
import { aTurn, input, open, part } from "./page";

const PAGE = `<script type="application/json" id="scene">{"revision": 7, "unit": "mm"}</script>
  <input id="angle" value="25"><input type="checkbox" id="regions"><span id="regions-count"></span>
  <span id="picked"></span><div id="alike"></div>
  <form id="naming"><input name="name"><input type="hidden" id="pick"></form><input class="pick-copy"><button id="name-it"></button>
  <button data-pick-change="grow"></button><button data-pick-change="invert"></button>`;

/** A body of six facets in two boundaries. */
const BOUNDARY = [0, 0, 0, 1, 1, 1];

interface Selected {
  include: { grow?: { at: Place; angle: number } }[];
  exclude: unknown[];
  rings: number;
  inverted: boolean;
}

/** The server and the view as the picks see them. */
interface Around {
  naming: Naming;
  /** What was asked of the server, in order. */
  asked: string[];
  selected: Selected[];
  /** The colours that the view was given last. */
  colours: () => number[] | null;
  /** Answers the oldest selection that waits with these facets. */
  answer: (...facets: number[]) => Promise<void>;
}

const bytes = (facets: number[]) => Uint32Array.from(facets).buffer;

/** Selections are answered at once with facet 1, or wait to be answered. */
function around(wait = false, page = PAGE): Around {
  open(page);
  let colours: Uint32Array | null = null;
  const view = {
    drawing: { geometry: { boundary: Uint32Array.from(BOUNDARY) } },
    colourBy: (group: Uint32Array) => (colours = group),
  };
  const asked: string[] = [];
  const selected: Selected[] = [];
  const waiting: ((facets: number[]) => void)[] = [];
  const selection = (facets: number[]) =>
    new Response(bytes(facets), { headers: { "X-Area": String(12.5 * facets.length) } });
  globalThis.fetch = (async (address: string, how?: { body: string }) => {
    asked.push(address);
    if (address.endsWith("/selection")) {
      selected.push(JSON.parse(how!.body) as Selected);
      if (!wait) return selection([1]);
      return new Promise((done) => waiting.push((facets) => done(selection(facets))));
    }
    if (address.includes("/rules?"))
      return new Response(JSON.stringify([{ said: "all of the ring", pick: { label: { name: "ring" } } }]));
    if (address.includes("/regions?"))
      return new Response(Uint8Array.from([0, 0, 1, 1, 2, 2]), { headers: { "X-Regions": "3" } });
    if (address.includes("/moved/")) return new Response(Uint8Array.from([0, 1, 2, 3, 4, 5]));
    return new Response("", { status: 404 });
  }) as typeof fetch;
  const answer = async (...facets: number[]) => {
    waiting.shift()!(facets);
    for (let i = 0; i < 5; i++) await aTurn();
  };
  return {
    naming: new Naming(view as unknown as View),
    asked,
    selected,
    colours: () => colours && [...colours],
    answer,
  };
}

const A: Place = [1, 2, 3];
const B: Place = [4, 5, 6];
const places = (s: Selected) => s.include.map((pick) => pick.grow?.at);

test("a click picks what is around it; Shift adds, Alt takes away, alone it begins anew", async () => {
  const { naming, selected } = around();
  await naming.click(A, false, false);
  await naming.click(B, true, false);
  assert.deepEqual([places(selected[1]), selected[1].exclude], [[A, B], []]);
  assert.equal(selected[1].include[0].grow?.angle, 25);
  await naming.click(B, false, true);
  assert.deepEqual([places(selected[2]), selected[2].exclude.length], [[A, B], 1]);
  await naming.click(B, false, false);
  assert.deepEqual([places(selected[3]), selected[3].exclude], [[B], []]);
});

test("what is picked stands in every form that asks for it, is coloured and counted", async () => {
  const { naming, colours } = around();
  await naming.click(A, false, false);
  assert.deepEqual(colours(), [0, PICK_GROUP, 0, 1, 1, 1]);
  assert.equal(input("#pick").value, input(".pick-copy").value);
  assert.deepEqual(places(JSON.parse(input("#pick").value) as Selected), [A]);
  assert.equal(part("#picked").textContent, "Picked: 1 facet, 12.5 mm². Shift adds, Alt takes away.");
  assert.equal(part("#name-it").textContent, "Name the picked");
  assert.equal(document.activeElement, input("#naming [name=name]"), "its name can be typed at once");
  naming.clear();
  await aTurn();
  assert.deepEqual([input("#pick").value, part("#name-it").textContent], ["", "Name the rest"]);
  assert.deepEqual(colours(), BOUNDARY, "colours are those of the boundaries again");
});

test("rings go outward and inward, and the other way round where all but the picked is meant", async () => {
  const { naming, selected } = around();
  await naming.change("grow");
  assert.equal(selected.length, 0, "nothing is picked yet");
  await naming.click(A, false, false);
  await naming.change("grow");
  await naming.change("grow");
  await naming.change("shrink");
  assert.deepEqual([selected.at(-1)!.rings, selected.at(-1)!.inverted], [1, false]);
  await naming.change("invert");
  await naming.change("grow");
  assert.deepEqual([selected.at(-1)!.rings, selected.at(-1)!.inverted], [0, true], "larger is fewer of the others");
  await naming.click(B, false, false);
  assert.deepEqual([selected.at(-1)!.rings, selected.at(-1)!.inverted], [0, false]);
});

test("buttons change what can be changed alone", async () => {
  const { naming } = around();
  const locked = () => [...document.querySelectorAll<HTMLButtonElement>("[data-pick-change]")].map((b) => b.disabled);
  await naming.show();
  assert.deepEqual(locked(), [true, true]);
  await naming.click(A, false, false);
  assert.deepEqual(locked(), [false, false]);
});

test("a rule that would catch the click stands in for it when its button is pressed", async () => {
  const { naming, selected, asked } = around();
  await naming.click(A, false, false);
  await naming.click(B, true, false);
  assert.ok(asked.includes("/revisions/7/rules?x=4&y=5&z=6&angle=25"));
  const button = part<HTMLButtonElement>("#alike button");
  assert.equal(button.textContent, "all of the ring");
  button.click();
  await aTurn();
  assert.deepEqual(selected.at(-1)!.include, [{ grow: { at: A, angle: 25 } }, { label: { name: "ring" } }]);
});

test("an answer that comes late is not of what is picked now", async () => {
  const { naming, answer, colours } = around(true);
  void naming.click(A, false, false);
  await aTurn();
  void naming.click(B, false, false);
  await aTurn();
  // The first answer comes when the second click has been made; then the second.
  await answer(0, 1, 2);
  assert.notEqual(colours()?.[0], PICK_GROUP, "what was picked before is not coloured any more");
  await answer(5);
  assert.deepEqual(colours(), [0, 0, 0, 1, 1, PICK_GROUP]);
  assert.match(part("#picked").textContent!, /1 facet,/);
});

test("picks that are cleared while an answer is on its way stay cleared", async () => {
  const { naming, answer, colours } = around(true);
  void naming.click(A, false, false);
  await aTurn();
  naming.clear();
  await aTurn();
  await answer(0, 1, 2);
  assert.ok(!colours()?.includes(PICK_GROUP));
  assert.equal(input("#pick").value, "");
});

test("regions and distances are shown under what is picked", async () => {
  const { naming, asked, colours } = around();
  input("#regions").checked = true;
  await naming.show();
  assert.deepEqual([colours(), part("#regions-count").textContent], [[0, 0, 1, 1, 2, 2], "3 regions"]);
  assert.ok(asked.includes("/revisions/7/regions?angle=25"));
  await naming.click(A, false, false);
  assert.deepEqual(colours(), [0, PICK_GROUP, 1, 1, 2, 2]);
  input("#regions").checked = false;
  naming.clear();
  await aTurn();
  assert.deepEqual([colours(), part("#regions-count").textContent], [BOUNDARY, ""]);
  const compared = around(false, `${PAGE}<p data-moved="7,5"></p>`);
  await compared.naming.show();
  assert.deepEqual(
    compared.colours(),
    [0, 1, 2, 3, 4, 5].map((step) => DISTANCE_GROUP + step),
  );
  assert.ok(compared.asked.includes("/revisions/7/moved/5/facets"));
  const other = around(false, `${PAGE}<p data-moved="6,5"></p>`);
  await other.naming.show();
  assert.equal(other.colours(), null, "distances of another state are not of this one");
});

test("another state of the body forgets what was picked on the one before", async () => {
  const { naming, selected } = around();
  await naming.click(A, false, false);
  naming.forget();
  await naming.show();
  assert.equal(input("#pick").value, "");
  await naming.click(B, true, false);
  assert.deepEqual(places(selected.at(-1)!), [B]);
});

test("an angle that is no number is the usual one, and a server that refuses changes no colour", async () => {
  const { naming, selected, colours } = around();
  input("#angle").value = "steep";
  await naming.click(A, false, false);
  assert.equal(selected[0].include[0].grow?.angle, 20);
  const before = colours();
  globalThis.fetch = (async () => new Response("", { status: 422 })) as typeof fetch;
  await naming.click(B, true, false);
  assert.deepEqual(
    colours()?.filter((c) => c === PICK_GROUP),
    [],
  );
  assert.notDeepEqual(before, null);
});
