// As received beside as it is now, with a line between them that is moved.
import type { Bench, Tool } from "./tool";

const slider = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#compare-slider")!;

function set(bench: Bench, part: number | null): void {
  const scene = bench.scene();
  bench.overlay.compared = part;
  if (scene) void bench.view.setCompared(part, scene);
  slider(bench).hidden = part === null;
  bench.frame.querySelector("#compare")!.classList.toggle("on", part !== null);
}

export const compare: Tool = {
  id: "compare",
  keys: ["c"],
  title: "compare with as received",
  label: "Compare",
  html: `<label class="sliders" id="compare-slider" hidden>as received <input type="range" min="0" max="1" step="0.005" value="0.5" aria-label="How much as received"> now</label>`,
  attach: (bench) =>
    slider(bench).addEventListener("input", () => set(bench, Number(slider(bench).querySelector("input")!.value))),
  press: (bench) => set(bench, bench.overlay.compared === null ? 0.5 : null),
};
