// Places to visit: findings, boundaries, whatever the page gives a place to.
import { distance } from "../overlay";
import { type Place, short } from "../scene";
import type { Bench, Tool } from "./tool";

/** The place of the open row that was visited last; before the first there is none. */
let place = -1;

function visit(bench: Bench, index: number): void {
  const finding = bench.scene()?.findings[index];
  if (!finding) return;
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
  bench.overlay.finding = { kind: "hole", at, radius: 0, from, text: at.map((v) => short(v)).join("  ") };
  bench.view.flyTo(at, 0, from);
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
  },
  attach(bench) {
    document.addEventListener("click", (event) => {
      const target = event.target instanceof Element ? event.target : null;
      const on = (selector: string) => target?.closest<HTMLElement>(selector);
      const finding = on("[data-finding]");
      if (finding) visit(bench, Number(finding.dataset.finding));
      const boundary = on("[data-boundary]");
      const named = bench.scene()?.boundaries[Number(boundary?.dataset.boundary)];
      if (named && !on("select, button")) bench.view.flyTo(named.at, 0);
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
