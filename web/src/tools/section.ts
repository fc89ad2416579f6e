// Section planes, one across each axis and one of choice, beyond which the view shows nothing.
import { CHOSEN, chooseDirection, directionOf } from "../cut";
import { type Shown, shownIn } from "../lengths";
import type { Place } from "../scene";
import { cross, dot, minus } from "../vector";
import type { Hit } from "../view";
import { snapped } from "./snap";
import type { Bench, Tool } from "./tool";

const slider = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#section-slider")!;
const rows = (bench: Bench) => [...slider(bench).querySelectorAll<HTMLElement>("[data-plane]")];
const chosen = (bench: Bench) => slider(bench).querySelector<HTMLSelectElement>("[data-by]")!;
const told = (bench: Bench) => slider(bench).querySelector<HTMLElement>("#section-told")!;

const shown = (bench: Bench): Shown => shownIn(bench.scene()?.unit ?? "");

function set(bench: Bench, row: HTMLElement): void {
  const plane = Number(row.dataset.plane);
  const on = !slider(bench).hidden && row.querySelector<HTMLInputElement>("[data-on]")!.checked;
  const part = Number(row.querySelector<HTMLInputElement>("[type=range]")!.value);
  bench.view.setSection(plane, on ? part : null, row.querySelector<HTMLInputElement>("[data-flip]")!.checked);
  const [from, to] = bench.view.reach(plane);
  const typed = row.querySelector<HTMLInputElement>("[data-at]")!;
  if (document.activeElement !== typed)
    typed.value = String(Number(((from + (to - from) * part) * shown(bench).factor).toPrecision(5)));
  row.querySelector("[data-symbol]")!.textContent = shown(bench).symbol;
}

/** Moves a plane's slider to a place along its direction, as near as it has it. */
function slide(bench: Bench, row: HTMLElement, at: number): void {
  const [from, to] = bench.view.reach(Number(row.dataset.plane));
  if (to > from && Number.isFinite(at))
    row.querySelector<HTMLInputElement>("[type=range]")!.value = String((at - from) / (to - from));
}

/** A typed place goes to the slider. */
function place(bench: Bench, row: HTMLElement): void {
  const typed = row.querySelector<HTMLInputElement>("[data-at]")!.value.replace(",", ".");
  slide(bench, row, Number(typed) / shown(bench).factor);
}

const row = (name: string, k: number, across = `across ${name}`, more = "") =>
  `<div data-plane="${k}"><label><input type="checkbox" data-on${k === 0 ? " checked" : ""}> ${across}</label>${more}<input type="range" min="0" max="1" step="any" value="0.5" aria-label="Where the section across ${name} is"> at <input type="text" data-at size="7" inputmode="decimal" aria-label="Where the section across ${name} is, as a number"> <span data-symbol></span> <label><input type="checkbox" data-flip> other side</label></div>`;

const BY = `<select data-by aria-label="What the section of choice goes through"><option value="face">a face</option><option value="places">three places</option></select>`;

/** Lays the plane of choice through a place, across a direction. */
function lay(bench: Bench, at: Place, direction: Place): void {
  chooseDirection(direction);
  const on = rows(bench)[CHOSEN];
  on.querySelector<HTMLInputElement>("[data-on]")!.checked = true;
  slide(bench, on, dot(at, directionOf(CHOSEN)));
  set(bench, on);
  told(bench).textContent = `across ${directionOf(CHOSEN)
    .map((x) => String(Number(x.toFixed(4)) + 0))
    .join(", ")}`;
}

/** A face or places ask for clicks; a datum has all that is needed. */
function choose(bench: Bench): void {
  const by = chosen(bench).value;
  const datum = bench.scene()?.datums.find((d) => `datum ${d.name}` === by);
  if (datum) return lay(bench, datum.at, datum.direction);
  bench.take(plane.id);
}

/** Names the datums of the body in the list; what was chosen stays where it is still there. */
function list(bench: Bench): void {
  const before = chosen(bench).value;
  for (const old of chosen(bench).querySelectorAll("[data-datum]")) old.remove();
  for (const { name } of bench.scene()?.datums ?? []) {
    const option = new Option(`datum ${name}`, `datum ${name}`);
    option.dataset.datum = name;
    chosen(bench).append(option);
  }
  chosen(bench).value = before;
  if (!chosen(bench).value) chosen(bench).value = "face";
}

export const section: Tool = {
  id: "section",
  keys: ["s"],
  title: "sections across the axes, or through a face, three places or a datum",
  label: "Section",
  html: `<div class="sliders rows" id="section-slider" hidden>${["x", "y", "z"].map((name, k) => row(name, k)).join("")}${row("a direction of choice", CHOSEN, "through", BY)}<p id="section-told" role="status"></p></div>`,
  attach(bench) {
    slider(bench).addEventListener("input", (e) => {
      const target = e.target instanceof HTMLInputElement ? e.target : null;
      const on = target?.closest<HTMLElement>("[data-plane]");
      if (!target || !on) return;
      if (target.dataset.at !== undefined) place(bench, on);
      // Who moves a plane wants it.
      if (target.dataset.on === undefined) on.querySelector<HTMLInputElement>("[data-on]")!.checked = true;
      set(bench, on);
    });
    chosen(bench).addEventListener("change", () => choose(bench));
    // Who ticks the plane of choice before it has a direction is asked for one.
    rows(bench)
      [CHOSEN].querySelector("[data-on]")!
      .addEventListener("change", (e) => {
        if ((e.target as HTMLInputElement).checked && told(bench).textContent === "") choose(bench);
      });
    list(bench);
  },
  changed: list,
  press(bench) {
    slider(bench).hidden = !slider(bench).hidden;
    bench.frame.querySelector("#section")!.classList.toggle("on", !slider(bench).hidden);
    for (const on of rows(bench)) set(bench, on);
  },
};

/** Places that were clicked for the plane of choice. */
let clicked: Place[] = [];

/** The direction across three places; `null` where they lie on a line. */
export function acrossPlaces([a, b, c]: Place[]): Place | null {
  const [u, v] = [minus(b, a), minus(c, a)];
  const direction = cross(u, v);
  return Math.hypot(...direction) > 1e-9 * Math.hypot(...u) * Math.hypot(...v) ? direction : null;
}

function click(bench: Bench, hit: Hit, free: boolean): void {
  if (chosen(bench).value === "places") {
    clicked = [...clicked, free ? hit.at : snapped(hit, (p) => bench.view.screen(p)).at];
    bench.overlay.measured = clicked;
    if (clicked.length < 3) {
      told(bench).textContent = clicked.length === 1 ? "Click the second place." : "Click the third place.";
      return;
    }
    const direction = acrossPlaces(clicked);
    const [at] = clicked;
    bench.take("turn");
    if (direction) lay(bench, at, direction);
    else told(bench).textContent = "These three places lie on a line; choose three others.";
    return;
  }
  const [a, b, c] = hit.corners;
  bench.take("turn");
  lay(bench, hit.at, cross(minus(b, a), minus(c, a)));
}

/** Takes the clicks that the section of choice asks for. */
export const plane: Tool = {
  id: "plane",
  keys: [],
  title: "clicks for the section of choice",
  mode: true,
  taken(bench) {
    clicked = [];
    told(bench).textContent =
      chosen(bench).value === "places" ? "Click three places; corners and edges attract." : "Click the face.";
  },
  click(bench, hit, event) {
    click(bench, hit, event.altKey);
    bench.view.redraw();
  },
  leave(bench) {
    clicked = [];
    bench.overlay.measured = [];
    if (told(bench).textContent?.startsWith("Click")) told(bench).textContent = "";
  },
};
