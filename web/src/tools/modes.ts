// Two modes of a click: turning, and picking faces or members.
import { nearest, segmentsOf } from "../members";
import { toggleMember } from "../tables";
import type { Tool } from "./tool";

export const turn: Tool = { id: "turn", keys: ["t"], title: "turn the body", label: "Turn", mode: true };

export const pick: Tool = {
  id: "pick",
  keys: ["p"],
  title: "pick faces",
  label: "Pick faces",
  mode: true,
  click: (bench, { at }, event) => void bench.naming.click(at, event.shiftKey, event.altKey),
  anywhere(bench, at) {
    const g = bench.view.drawing?.geometry;
    const near = g && g.facets.length === 0 ? nearest(segmentsOf(g), (p) => bench.view.screen(p), at) : null;
    if (near) toggleMember(near.piece + 1);
  },
};
