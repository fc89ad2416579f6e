// What is under the pointer: the faces that a click would pick, and the boundary of a row of the list.
import { across, region } from "../adjacency";
import type { Geometry } from "../geometry";
import type { Bench, Tool } from "./tool";

/** Bodies of more facets show the facet alone: finding out what is connected would hold the pointer up. */
const CONNECTED_UP_TO = 100_000;
const COLOUR = 0xffb000;

let known: { of: Geometry; next: Int32Array } | null = null;
/** The facets that are shown as being under the pointer. */
let under: Uint32Array = new Uint32Array();

function connected(g: Geometry): Int32Array {
  if (known?.of !== g) known = { of: g, next: across(g.facets) };
  return known.next;
}

function point(bench: Bench, x: number, y: number): void {
  const g = bench.view.drawing?.geometry;
  const facet = bench.taken() === "pick" && g ? (bench.view.pick(x, y)?.facet ?? null) : null;
  if (!g || facet === null) return clear(bench);
  if (under.includes(facet)) return;
  const typed = Number(document.querySelector<HTMLInputElement>("#angle")?.value);
  under =
    g.facets.length / 3 > CONNECTED_UP_TO
      ? Uint32Array.of(facet)
      : region(g, connected(g), facet, Number.isFinite(typed) ? typed : 20);
  bench.view.highlight("pointed", { facets: under, colour: COLOUR, opacity: 0.5 });
}

function clear(bench: Bench): void {
  if (under.length > 0) bench.view.highlight("pointed", null);
  under = new Uint32Array();
}

export const hover: Tool = {
  id: "hover",
  keys: [],
  title: "shows what a click would pick",
  press: () => {},
  attach(bench) {
    let waiting: PointerEvent | null = null;
    bench.view.canvas.addEventListener("pointermove", (e) => {
      if (e.buttons > 0) return clear(bench);
      if (bench.taken() !== "pick") return;
      if (!waiting) requestAnimationFrame(() => waiting && point(bench, waiting.clientX, waiting.clientY));
      if (!waiting) requestAnimationFrame(() => (waiting = null));
      waiting = e;
    });
    bench.view.canvas.addEventListener("pointerleave", () => clear(bench));
    document.addEventListener("mouseover", (e) => {
      const row = e.target instanceof Element ? e.target.closest<HTMLElement>("[data-boundary]") : null;
      const g = bench.view.drawing?.geometry;
      if (!g || !row) return void bench.view.highlight("row", null);
      const group = Number(row.dataset.boundary);
      const facets: number[] = [];
      g.boundary.forEach((b, f) => b === group && facets.push(f));
      bench.view.highlight("row", { facets, colour: COLOUR, opacity: 0.45 });
    });
  },
  changed: () => (under = new Uint32Array()),
};
