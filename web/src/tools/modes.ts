// The three modes of a click: turning, picking faces, measuring between two points.
import { distance } from "../overlay";
import { type Place, type Scene, short } from "../scene";
import { snapped } from "./snap";
import type { Bench, Tool } from "./tool";

export const turn: Tool = { id: "turn", keys: ["t"], title: "turn the body", label: "Turn", mode: true };

export const pick: Tool = {
  id: "pick",
  keys: ["p"],
  title: "pick faces",
  label: "Pick faces",
  mode: true,
  click: (bench, { at }, event) => void bench.naming.click(at, event.shiftKey, event.altKey),
};

const told = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#measure-told")!;

/** What to click next, or what was measured. */
function tell(bench: Bench, to = ""): void {
  const { measured } = bench.overlay;
  const unit = bench.scene()?.unit ?? "";
  const [a, b] = measured;
  if (!a)
    told(bench).textContent = "Click the first place. Corners and edges attract; hold Alt for the surface itself.";
  else if (!b) told(bench).textContent = `From a ${to} at ${a.map(short).join(", ")} ${unit}. Click the second place.`;
  else {
    const along = ["dx", "dy", "dz"].map((name, k) => `${name} ${short(b[k] - a[k])}`).join("\u2003");
    told(bench).textContent = `${short(distance(measured))} ${unit}\u2003${along} ${unit}\u2003to a ${to}`;
  }
}

export const measure: Tool = {
  id: "measure",
  keys: ["m"],
  title: "measure between two points",
  label: "Measure",
  mode: true,
  everywhere: true,
  html: `<div class="sliders mono" id="measure-told" role="status" hidden></div>`,
  taken(bench) {
    told(bench).hidden = false;
    tell(bench);
  },
  click(bench, hit, event) {
    const { overlay, view } = bench;
    const scene = bench.scene();
    const { at, to } = event.altKey ? { at: hit.at, to: "surface" } : snapped(hit, (place) => view.screen(place));
    overlay.measured = overlay.measured.length === 2 ? [at] : [...overlay.measured, at];
    if (overlay.measured.length === 2 && scene) fillMeasured(overlay.measured, scene);
    tell(bench, to === "surface" ? "place of the surface" : to);
    view.redraw();
  },
  leave(bench) {
    told(bench).hidden = true;
    bench.overlay.measured = [];
  },
};

/** Fills the measured distance into the size form, in file units. */
function fillMeasured(ends: Place[], scene: Scene): void {
  const field = document.querySelector<HTMLInputElement>("#measured");
  if (field) field.value = String(Number((distance(ends) / scene.placement.scale).toPrecision(7)));
}
