// Section planes, one across each axis, beyond which the view shows nothing.
import { type Shown, shownIn } from "../lengths";
import type { Bench, Tool } from "./tool";

const slider = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#section-slider")!;
const rows = (bench: Bench) => [...slider(bench).querySelectorAll<HTMLElement>("[data-axis]")];

const shown = (bench: Bench): Shown => shownIn(bench.scene()?.unit ?? "");

function set(bench: Bench, row: HTMLElement): void {
  const axis = Number(row.dataset.axis);
  const on = !slider(bench).hidden && row.querySelector<HTMLInputElement>("[data-on]")!.checked;
  const part = Number(row.querySelector<HTMLInputElement>("[type=range]")!.value);
  bench.view.setSection(axis, on ? part : null, row.querySelector<HTMLInputElement>("[data-flip]")!.checked);
  const [from, to] = bench.view.reach(axis);
  const typed = row.querySelector<HTMLInputElement>("[data-at]")!;
  if (document.activeElement !== typed)
    typed.value = String(Number(((from + (to - from) * part) * shown(bench).factor).toPrecision(5)));
  row.querySelector("[data-symbol]")!.textContent = shown(bench).symbol;
}

/** A typed place goes to the slider, as near as that has it. */
function place(bench: Bench, row: HTMLElement): void {
  const [from, to] = bench.view.reach(Number(row.dataset.axis));
  const typed = Number(row.querySelector<HTMLInputElement>("[data-at]")!.value.replace(",", ".")) / shown(bench).factor;
  if (to > from && Number.isFinite(typed))
    row.querySelector<HTMLInputElement>("[type=range]")!.value = String((typed - from) / (to - from));
}

const row = (axis: string, k: number) =>
  `<div data-axis="${k}"><label><input type="checkbox" data-on${k === 0 ? " checked" : ""}> across ${axis}</label><input type="range" min="0" max="1" step="any" value="0.5" aria-label="Where the section across ${axis} is"> at <input type="text" data-at size="7" inputmode="decimal" aria-label="Where the section across ${axis} is, as a number"> <span data-symbol></span> <label><input type="checkbox" data-flip> other side</label></div>`;

export const section: Tool = {
  id: "section",
  keys: ["s"],
  title: "sections across the axes",
  label: "Section",
  html: `<div class="sliders rows" id="section-slider" hidden>${["x", "y", "z"].map(row).join("")}</div>`,
  attach: (bench) =>
    slider(bench).addEventListener("input", (e) => {
      const target = e.target instanceof HTMLInputElement ? e.target : null;
      const on = target?.closest<HTMLElement>("[data-axis]");
      if (!target || !on) return;
      if (target.dataset.at !== undefined) place(bench, on);
      // Who moves a plane wants it.
      if (target.dataset.on === undefined) on.querySelector<HTMLInputElement>("[data-on]")!.checked = true;
      set(bench, on);
    }),
  press(bench) {
    slider(bench).hidden = !slider(bench).hidden;
    bench.frame.querySelector("#section")!.classList.toggle("on", !slider(bench).hidden);
    for (const on of rows(bench)) set(bench, on);
  },
};
