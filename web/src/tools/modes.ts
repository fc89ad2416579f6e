// The three modes of a click: turning, picking faces, measuring between two points.
import { distance } from "../overlay";
import type { Place, Scene } from "../scene";
import type { Tool } from "./tool";

export const turn: Tool = { id: "turn", keys: ["t"], title: "turn the body", label: "Turn", mode: true };

export const pick: Tool = {
  id: "pick",
  keys: ["p"],
  title: "pick faces",
  label: "Pick faces",
  mode: true,
  click: (bench, at, event) => void bench.naming.click(at, event.shiftKey, event.altKey),
};

export const measure: Tool = {
  id: "measure",
  keys: ["m"],
  title: "measure between two points",
  label: "Measure",
  mode: true,
  click(bench, at) {
    const { overlay } = bench;
    const scene = bench.scene();
    overlay.measured = overlay.measured.length === 2 ? [at] : [...overlay.measured, at];
    if (overlay.measured.length === 2 && scene) fillMeasured(overlay.measured, scene);
    bench.view.redraw();
  },
  leave(bench) {
    bench.overlay.measured = [];
  },
};

/** Fills the measured distance into the size form, in file units. */
function fillMeasured(ends: Place[], scene: Scene): void {
  const field = document.querySelector<HTMLInputElement>("#measured");
  if (field) field.value = String(Number((distance(ends) / scene.placement.scale).toPrecision(7)));
}
