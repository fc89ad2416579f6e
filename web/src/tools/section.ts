// A section plane across an axis, in front of which the view shows nothing.
import type { Bench, Tool } from "./tool";

const slider = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#section-slider")!;

function set(bench: Bench, on: boolean): void {
  const host = slider(bench);
  host.hidden = !on;
  bench.frame.querySelector("#section")!.classList.toggle("on", on);
  const axis = Number(host.querySelector("select")!.value);
  const part = Number(host.querySelector<HTMLInputElement>("input")!.value);
  bench.view.setSection(axis, on ? part : null);
}

export const section: Tool = {
  id: "section",
  keys: ["s"],
  title: "section across an axis",
  label: "Section",
  html: `<label class="sliders" id="section-slider" hidden>Section across <select aria-label="Axis"><option value="0">x</option><option value="1">y</option><option value="2">z</option></select><input type="range" min="0" max="1" step="0.005" value="0.5" aria-label="Where the section is"></label>`,
  attach: (bench) => slider(bench).addEventListener("input", () => set(bench, true)),
  press: (bench) => set(bench, slider(bench).hidden !== false),
};
