// Places to visit: findings, boundaries, whatever the page gives a place to.
import { pointsOf, reachOf, rims } from "../adjacency";
import { meeting, within } from "../meeting";
import { distance } from "../overlay";
import { type Finding, type Place, short } from "../scene";
import type { Bench, Tool } from "./tool";

/** The place of the open row that was visited last; before the first there is none. */
let place = -1;

const COLOUR = 0x7a2e6e;
/** Findings that are drawn as edges already. */
const EDGES = /open_edges|edges$|hole|gap|tunnel|handle|wall|thin|exact|shell/;

/** Draws what a finding is about: where facets cross, what lies on each other, or the facets of the place. */
function draw(bench: Bench, { kind, at, radius }: Finding): void {
  const g = bench.view.drawing?.geometry;
  bench.view.highlight("finding", null);
  if (!g || EDGES.test(kind)) return;
  const reach = 1.02 * radius;
  if (kind === "self_intersections") {
    const { facets, segments } = meeting(g, at, reach, "cross");
    bench.view.highlight("finding", { facets, segments, colour: COLOUR, opacity: 0.25, edges: true });
  } else {
    const covering = /overlap|double/.test(kind);
    const facets = covering ? meeting(g, at, reach, "cover").facets : within(g, at, reach);
    bench.view.highlight("finding", { facets, colour: COLOUR, opacity: 0.5, edges: true });
  }
}

function visit(bench: Bench, index: number): void {
  const finding = bench.scene()?.findings[index];
  if (!finding) return;
  draw(bench, finding);
  bench.overlay.finding = finding;
  bench.view.flyTo(finding.at, finding.radius, finding.from);
  for (const row of document.querySelectorAll<HTMLElement>(".finding"))
    row.classList.toggle("now", Number(row.dataset.finding) === index);
}

function step(bench: Bench, by: number): void {
  const scene = bench.scene();
  const text = document.querySelector<HTMLElement>("#place-text");
  const listed = text?.dataset.places?.trim().split(/\s+/).map(Number);
  const places = listed ?? scene?.findings.map((_, i) => i) ?? [];
  if (places.length === 0) return;
  place = place < 0 ? (by > 0 ? 0 : places.length - 1) : (place + by + places.length) % places.length;
  visit(bench, places[place]);
  const now = document.querySelector("#place-now");
  if (now) now.textContent = String(place + 1);
  if (text) text.textContent = scene?.findings[places[place]].text ?? "";
}

/** A place that is no finding: seen as the open edge nearest to it is. */
function visitAt(bench: Bench, at: Place): void {
  const near = bench.scene()?.findings.filter((f) => f.kind === "open_edges") ?? [];
  const gap = (f: { at: Place }) => distance([f.at, at]);
  const from = near.sort((a, b) => gap(a) - gap(b))[0]?.from ?? [0, 0, 1];
  // The rim about the place tells how much of it there is to see.
  const g = bench.view.drawing?.geometry;
  const around = g ? rims(g.open).map((rim) => reachOf(g, rim)!) : [];
  const rim = around.sort((a, b) => gap(a) - gap(b))[0];
  const radius = rim && gap(rim) <= rim.radius ? rim.radius : 0;
  bench.overlay.finding = { kind: "hole", at, radius, from, text: at.map((v) => short(v)).join("  ") };
  bench.view.flyTo(at, radius, from);
}

export const places: Tool = {
  id: "places",
  keys: ["j", "k"],
  told: "J / K",
  title: "next and previous place of the open requirement",
  press: (bench, key) => step(bench, key === "j" ? 1 : -1),
  changed(bench) {
    place = -1;
    bench.overlay.finding = null;
    bench.view.highlight("finding", null);
  },
  attach(bench) {
    document.addEventListener("click", (event) => {
      const target = event.target instanceof Element ? event.target : null;
      const on = (selector: string) => target?.closest<HTMLElement>(selector);
      const finding = on("[data-finding]");
      if (finding) visit(bench, Number(finding.dataset.finding));
      const boundary = on("[data-boundary]");
      const named = bench.scene()?.boundaries[Number(boundary?.dataset.boundary)];
      const g = bench.view.drawing?.geometry;
      const reach = g ? reachOf(g, pointsOf(g, Number(boundary?.dataset.boundary))) : null;
      if (named && !on("select, button, input, summary, details"))
        bench.view.flyTo(reach?.at ?? named.at, reach?.radius ?? 0);
      const shown = on("[data-visit]");
      if (shown) visitAt(bench, shown.dataset.visit!.split(",").map(Number) as Place);
      const by = on("[data-step-place]");
      if (by) step(bench, Number(by.dataset.stepPlace));
    });
    document.addEventListener("keydown", (event) => {
      const row = event.target instanceof HTMLElement ? event.target : null;
      if (event.key === "Enter" && row?.matches("[data-finding]")) visit(bench, Number(row.dataset.finding));
    });
  },
};
