// Picking by an outline: a box or a freehand line, drawn in the view; what it encloses is seen by the server, but for members
// of a frame, which are ticked here.
import { type Dot, listen } from "../drag";
import { enclosed, segmentsOf } from "../members";
import { notify } from "../requests";
import { tickMembers } from "../tables";
import { post } from "./stand";
import type { Bench, Tool } from "./tool";

/** Pixels between two corners of a freehand line. */
const STEP = 4;
const FEWEST = 3;

/** What is being drawn, in pixels of the frame. */
let outline: Dot[] = [];
let freehand = false;

const options = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#mark-options")!;

function show(bench: Bench): void {
  let line = bench.frame.querySelector<SVGPathElement>("#mark-line");
  if (!line) {
    const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
    svg.setAttribute("class", "marking");
    line = document.createElementNS("http://www.w3.org/2000/svg", "path");
    line.id = "mark-line";
    svg.append(line);
    bench.frame.append(svg);
  }
  line.setAttribute("d", outline.length > 1 ? `M${outline.map((p) => p.join(" ")).join("L")}Z` : "");
}

/** The corners so far with the pointer at `to`. */
function drawn([x0, y0]: Dot, to: Dot): Dot[] {
  if (!freehand) return [[x0, y0], [to[0], y0], to, [x0, to[1]]]; // prettier-ignore
  const last = outline[outline.length - 1];
  return Math.hypot(to[0] - last[0], to[1] - last[1]) < STEP ? outline : [...outline, to];
}

/** Of a frame: members inside are ticked, joints inside are what the forms about an outline are for. */
function takeMembers(bench: Bench, corners: Dot[], event: PointerEvent): void {
  const { view } = bench;
  const inside = enclosed(segmentsOf(view.drawing!.geometry), (p) => view.screen(p), corners);
  const numbers = inside.pieces.map((piece) => piece + 1);
  if (!tickMembers(numbers, event.shiftKey, event.altKey))
    return notify("Open Frame below: members inside the outline are ticked there, and joints inside it held.");
  const fill = (selector: string, text: string) =>
    document.querySelectorAll<HTMLInputElement>(selector).forEach((field) => (field.value = text));
  fill("[data-outline]", corners.map((p) => view.unproject(p).join(", ")).join("; "));
  fill("[data-gaze]", view.gaze().join(", "));
  const joints = inside.ends === 1 ? "1 joint" : `${inside.ends} joints`;
  const members = numbers.length === 1 ? "1 member" : `${numbers.length} members`;
  const told = document.querySelector("#joints-outlined");
  if (told) told.textContent = `${joints} inside`;
  notify(`${members} and ${joints} lie inside the outline: ticked, and to be held or named, under Frame.`);
}

function finish(bench: Bench, event: PointerEvent): void {
  const corners = outline;
  outline = [];
  show(bench);
  const wide = Math.max(...corners.map((p) => p[0])) - Math.min(...corners.map((p) => p[0]));
  if (corners.length < FEWEST || wide < STEP) return;
  const { drawing } = bench.view;
  if (drawing && drawing.geometry.facets.length === 0 && drawing.hasPoints()) {
    const outline = corners.map((p) => bench.view.unproject(p).join(", ")).join("; ");
    const inside = options(bench).querySelector<HTMLInputElement>("#mark-inside")!.checked;
    post({
      step: "crop_outline",
      outline,
      direction: bench.view.gaze().join(", "),
      ...(inside ? { inside: "on" } : {}),
    });
    return;
  }
  if (drawing && drawing.geometry.facets.length === 0 && segmentsOf(drawing.geometry).length > 0)
    return takeMembers(bench, corners, event);
  const visible = !options(bench).querySelector<HTMLInputElement>("#mark-through")!.checked;
  const pick = {
    outline: { outline: corners.map((p) => bench.view.unproject(p)), direction: bench.view.gaze(), visible },
  };
  void bench.naming.add(pick, event.shiftKey, event.altKey);
}

export const mark: Tool = {
  id: "mark",
  keys: ["b"],
  title: "pick inside a box or a freehand line",
  label: "Outline",
  mode: true,
  html: `<div class="sliders" id="mark-options" hidden><span>Draw around what is meant.</span> <label><input type="radio" name="mark-kind" value="box" checked> box</label> <label><input type="radio" name="mark-kind" value="line"> freehand</label> <label id="of-facets"><input type="checkbox" id="mark-through"> through the body</label> <label id="of-points"><input type="checkbox" id="mark-inside" checked> take what is inside away, else all but it</label></div>`,
  attach(bench) {
    listen(bench.frame, bench.view.canvas, {
      begins(at, e) {
        if (bench.taken() !== "mark" || e.target !== bench.view.canvas) return false;
        freehand = options(bench).querySelector<HTMLInputElement>("[value=line]")!.checked;
        outline = [at];
        return true;
      },
      moves(at) {
        outline = drawn(outline[0], at);
        show(bench);
      },
      ends(e) {
        if (e) return finish(bench, e);
        outline = [];
        show(bench);
      },
    });
  },
  taken(bench) {
    const { drawing } = bench.view;
    const ofFacets = !drawing || drawing.geometry.facets.length > 0;
    options(bench).querySelector<HTMLElement>("#of-facets")!.hidden = !ofFacets;
    options(bench).querySelector<HTMLElement>("#of-points")!.hidden = ofFacets || !drawing.hasPoints();
    options(bench).hidden = false;
    // What a line encloses goes straight back from it: in perspective it would not.
    bench.view.setPerspective(false);
    bench.view.controls.enabled = false;
  },
  leave(bench) {
    options(bench).hidden = true;
  },
};
