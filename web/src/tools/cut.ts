// A plane across an axis that cuts the view open.
import type { Bench, Tool } from "./tool";

const slider = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#cut-slider")!;

function set(bench: Bench, on: boolean): void {
  const host = slider(bench);
  host.hidden = !on;
  bench.frame.querySelector("#cut")!.classList.toggle("on", on);
  const axis = Number(host.querySelector("select")!.value);
  const part = Number(host.querySelector<HTMLInputElement>("input")!.value);
  bench.view.setCut(axis, on ? part : null);
}

export const cut: Tool = {
  id: "cut",
  keys: ["c"],
  title: "cut",
  label: "Cut",
  html: `<label class="sliders" id="cut-slider" hidden>Cut along <select aria-label="Axis"><option value="0">x</option><option value="1">y</option><option value="2">z</option></select><input type="range" min="0" max="1" step="0.005" value="0.5" aria-label="Where to cut"></label>`,
  attach: (bench) => slider(bench).addEventListener("input", () => set(bench, true)),
  press: (bench) => set(bench, slider(bench).hidden !== false),
};
