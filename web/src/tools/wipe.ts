// As received beside as it is now, with a line between them that is moved.
import type { Bench, Tool } from "./tool";

const slider = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#wipe-slider")!;

function set(bench: Bench, part: number | null): void {
  const scene = bench.scene();
  bench.overlay.wipe = part;
  if (scene) void bench.view.setWipe(part, scene);
  slider(bench).hidden = part === null;
  bench.frame.querySelector("#wipe")!.classList.toggle("on", part !== null);
}

export const wipe: Tool = {
  id: "wipe",
  keys: ["w"],
  title: "wipe between as received and now",
  label: "As received | now",
  html: `<label class="sliders" id="wipe-slider" hidden>as received <input type="range" min="0" max="1" step="0.005" value="0.5" aria-label="How much as received"> now</label>`,
  attach: (bench) =>
    slider(bench).addEventListener("input", () => set(bench, Number(slider(bench).querySelector("input")!.value))),
  press: (bench) => set(bench, bench.overlay.wipe === null ? 0.5 : null),
};
