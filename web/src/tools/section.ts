// A section plane across an axis, in front of which the view shows nothing.
import type { Bench, Tool } from "./tool";

const slider = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#section-slider")!;

function set(bench: Bench, on: boolean): void {
  const host = slider(bench);
  host.hidden = !on;
  bench.frame.querySelector("#section")!.classList.toggle("on", on);
  const axis = Number(host.querySelector("select")!.value);
  const part = Number(host.querySelector<HTMLInputElement>("[type=range]")!.value);
  bench.view.setSection(axis, on ? part : null, host.querySelector<HTMLInputElement>("[type=checkbox]")!.checked);
  const [from, to] = bench.view.reach(axis);
  const typed = host.querySelector<HTMLInputElement>("#section-at")!;
  if (document.activeElement !== typed) typed.value = String(Number((from + (to - from) * part).toPrecision(5)));
}

/** A typed place goes to the slider, as near as that has it. */
function place(bench: Bench): void {
  const host = slider(bench);
  const [from, to] = bench.view.reach(Number(host.querySelector("select")!.value));
  const typed = Number(host.querySelector<HTMLInputElement>("#section-at")!.value.replace(",", "."));
  if (to > from && Number.isFinite(typed))
    host.querySelector<HTMLInputElement>("[type=range]")!.value = String((typed - from) / (to - from));
}

export const section: Tool = {
  id: "section",
  keys: ["s"],
  title: "section across an axis",
  label: "Section",
  html: `<div class="sliders" id="section-slider" hidden>Section across <select aria-label="Axis"><option value="0">x</option><option value="1">y</option><option value="2">z</option></select><input type="range" min="0" max="1" step="any" value="0.5" aria-label="Where the section is"> at <input type="text" id="section-at" size="7" inputmode="decimal" aria-label="Where the section is, as a number"> <label><input type="checkbox"> other side</label></div>`,
  attach: (bench) =>
    slider(bench).addEventListener("input", (e) => {
      if (e.target instanceof HTMLElement && e.target.id === "section-at") place(bench);
      set(bench, true);
    }),
  press: (bench) => set(bench, slider(bench).hidden !== false),
};
