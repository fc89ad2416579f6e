// Drawing a member from one place of a frame to another.
import { nearest, segmentsOf, snappedTo } from "../members";
import { type Place, short } from "../scene";
import { post } from "./stand";
import type { Bench, Tool } from "./tool";

/** A click is meant for what is this near, as a part of the frame's size. */
const WITHIN = 1e-4;

let from: Place | null = null;

const told = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#draw-told")!;

function begin(bench: Bench): void {
  from = null;
  bench.overlay.measured = [];
  const lines = bench.view.drawing ? segmentsOf(bench.view.drawing.geometry).length : 0;
  told(bench).textContent = lines
    ? "Click where the member begins. Joints, middles and thirds attract."
    : "There are no members here: this tool draws them between joints of a frame.";
}

export const draw: Tool = {
  id: "draw",
  keys: ["n"],
  title: "draw a member between two places of a frame",
  mode: true,
  html: `<div class="sliders" id="draw-told" role="status" hidden></div>`,
  taken(bench) {
    told(bench).hidden = false;
    begin(bench);
  },
  anywhere(bench, at) {
    const g = bench.view.drawing?.geometry;
    if (!g) return;
    const pieces = segmentsOf(g);
    const screen = (p: Place) => bench.view.screen(p);
    const near = nearest(pieces, screen, at);
    if (!near) return;
    const { at: place, to } = snappedTo(pieces[near.piece], screen, at, near.share);
    bench.overlay.measured = [...bench.overlay.measured, place];
    if (!from) {
      from = place;
      told(bench).textContent = `From a ${to} at ${place.map(short).join(", ")}. Click where it ends.`;
      return bench.view.redraw();
    }
    const size = Math.hypot(...[0, 1, 2].map((k) => g.max[k] - g.min[k]));
    post({ step: "draw_member", from: from.join(", "), to: place.join(", "), within: String(WITHIN * size), like: "drawn" }); // prettier-ignore
    begin(bench);
  },
  changed(bench) {
    if (bench.taken() === "draw") begin(bench);
  },
  leave(bench) {
    told(bench).hidden = true;
    bench.overlay.measured = [];
  },
};
