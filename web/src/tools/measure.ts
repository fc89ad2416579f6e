// Measuring by clicks: distances, angles, and the radius of a circle.
import { angleAt, type Circle, circleAlong, circleThrough, edgeAlong, edgeNear } from "../circle";
import { type Shown, shownIn } from "../lengths";
import { distance } from "../overlay";
import { type Place, type Scene, short } from "../scene";
import { cross, dot, minus } from "../vector";
import type { Hit } from "../view";
import { snapped } from "./snap";
import { post } from "./stand";
import type { Bench, Tool } from "./tool";

type What = "distance" | "angle" | "faces" | "radius";

/** Clicks that a measure takes. */
const CLICKS: Record<What, number> = { distance: 2, angle: 3, faces: 2, radius: 3 };
const FIRST: Record<What, string> = {
  distance: "Click the first place. Corners and edges attract; hold Alt for the surface itself.",
  angle: "Click a place on the first side, then the corner, then a place on the second side.",
  faces: "Click the first face.",
  radius: "Click a round edge, or three places on the circle.",
};
/** Pixels within which a drawn edge is meant. */
const EDGE = 10;

const told = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#measure-told")!;
const options = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#measure-options")!;
const what = (bench: Bench) => options(bench).querySelector<HTMLInputElement>("input:checked")!.value as What;

const said = (at: Place, factor: number) => at.map((x) => short(x * factor)).join(", ");

/** The directions of the faces that were clicked. */
let normals: Place[] = [];

function say(bench: Bench, text: string): void {
  told(bench).textContent = text;
  bench.view.redraw();
}

/** What can be kept now: a measure's kind, as the server calls it, and its places. */
let kept: { what: string; places: Place[] } = { what: "distance", places: [] };

/** Offers to keep what was measured. */
function offer(bench: Bench, what: string, places: Place[]): void {
  kept = { what, places };
  keep(bench).hidden = false;
}

const keep = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#measure-keep")!;

/** Keeps what was measured under the name that was typed, as a step. */
function keepIt(bench: Bench): void {
  const name = bench.frame.querySelector<HTMLInputElement>("#measure-name")!;
  if (name.value.trim() === "") return name.focus();
  const places = kept.places.map((p) => p.join(", ")).join("; ");
  post({ step: "keep_measure", what: kept.what, name: name.value, places });
  name.value = "";
  keep(bench).hidden = true;
}

function begin(bench: Bench): void {
  keep(bench).hidden = true;
  bench.overlay.measured = [];
  bench.overlay.circle = null;
  normals = [];
  say(bench, FIRST[what(bench)]);
}

/** The angle between the planes of two faces, in degrees, and between their outward directions. */
export function betweenFaces(a: Place, b: Place): { planes: number; outward: number } {
  const outward = (Math.acos(Math.max(-1, Math.min(1, dot(a, b) / (Math.hypot(...a) * Math.hypot(...b))))) * 180) / Math.PI; // prettier-ignore
  return { planes: Math.min(outward, 180 - outward), outward };
}

function tellDistance(bench: Bench, [a, b]: Place[], to: string, { symbol, factor }: Shown): void {
  if (!b) return say(bench, `From a ${to} at ${said(a, factor)} ${symbol}. Click the second place.`);
  const along = ["dx", "dy", "dz"].map((name, k) => `${name} ${short((b[k] - a[k]) * factor)}`).join("\u2003");
  say(bench, `${short(distance([a, b]) * factor)} ${symbol}\u2003${along} ${symbol}\u2003to a ${to}`);
}

function tellCircle(bench: Bench, circle: Circle | null, { symbol, factor }: Shown): void {
  bench.overlay.circle = circle;
  if (!circle) return say(bench, "These three places lie on a line; click three others.");
  const centre = said(circle.centre, factor);
  const radius = circle.radius * factor;
  say(bench, `radius ${short(radius)} ${symbol}\u2003diameter ${short(2 * radius)} ${symbol}\u2003centre ${centre} ${symbol}`); // prettier-ignore
}

/** The circle of the drawn edge that a click is near, if that edge is round, with three places on it. */
function roundEdge(bench: Bench, hit: Hit): { circle: Circle; places: Place[] } | null {
  const g = bench.view.drawing?.geometry;
  const edge = g ? edgeNear(g, hit.at, EDGE * bench.view.pixel()) : null;
  const along = g && edge !== null ? edgeAlong(g, edge) : [];
  const circle = circleAlong(along);
  const third = Math.floor(along.length / 3);
  return circle ? { circle, places: [along[0], along[third], along[2 * third]] } : null;
}

function clicked(bench: Bench, hit: Hit, free: boolean, scene: Scene): void {
  const { overlay, view } = bench;
  const kind = what(bench);
  const unit = shownIn(scene.unit);
  if (overlay.measured.length >= CLICKS[kind] || overlay.circle) begin(bench);
  if (kind === "radius" && overlay.measured.length === 0) {
    const edge = roundEdge(bench, hit);
    if (edge) offer(bench, "radius", edge.places);
    if (edge) return tellCircle(bench, edge.circle, unit);
  }
  const snaps = !free && kind !== "faces";
  const { at, to } = snaps ? snapped(hit, (place) => view.screen(place)) : { at: hit.at, to: "surface" };
  overlay.measured = [...overlay.measured, at];
  const [a, b, c] = overlay.measured;
  if (kind === "distance") {
    if (b) fillMeasured([a, b], scene);
    if (b) offer(bench, "distance", [a, b]);
    return tellDistance(bench, [a, b], to === "surface" ? "place of the surface" : to, unit);
  }
  if (kind === "faces") {
    normals = [...normals, cross(minus(hit.corners[1], hit.corners[0]), minus(hit.corners[2], hit.corners[0]))];
    if (!b) return say(bench, "Click the second face.");
    const { planes, outward } = betweenFaces(normals[0], normals[1]);
    return say(bench, `${short(planes)}° between the planes\u2003${short(outward)}° between their outward directions`);
  }
  if (!c) return say(bench, b ? "Click the third place." : "Click the second place.");
  offer(bench, kind, [a, b, c]);
  if (kind === "angle") return say(bench, `${short(angleAt(a, b, c))}° at the corner`);
  tellCircle(bench, circleThrough(a, b, c), unit);
}

export const measure: Tool = {
  id: "measure",
  keys: ["m"],
  title: "measure a distance, an angle or a radius",
  label: "Measure",
  mode: true,
  everywhere: true,
  html: `<div class="sliders" id="measure-options" hidden><label><input type="radio" name="measure-what" value="distance" checked> distance</label> <label><input type="radio" name="measure-what" value="angle"> angle</label> <label><input type="radio" name="measure-what" value="faces"> angle of faces</label> <label><input type="radio" name="measure-what" value="radius"> radius</label></div><div class="sliders mono" id="measure-told" role="status" hidden></div><div class="sliders" id="measure-keep" hidden><label>Keep it as <input id="measure-name" size="14" maxlength="80" placeholder="name"></label> <button type="button" class="slim" id="measure-keep-it">Keep</button></div>`,
  attach(bench) {
    options(bench).addEventListener("change", () => begin(bench));
    bench.frame.querySelector("#measure-keep-it")!.addEventListener("click", () => keepIt(bench));
    bench.frame.querySelector("#measure-name")!.addEventListener("keydown", (e) => {
      if ((e as KeyboardEvent).key === "Enter") keepIt(bench);
    });
  },
  taken(bench) {
    for (const part of [told(bench), options(bench)]) part.hidden = false;
    begin(bench);
  },
  click(bench, hit, event) {
    const scene = bench.scene();
    if (scene) clicked(bench, hit, event.altKey, scene);
    bench.view.redraw();
  },
  leave(bench) {
    for (const part of [told(bench), options(bench), keep(bench)]) part.hidden = true;
    bench.overlay.measured = [];
    bench.overlay.circle = null;
  },
};

/** Fills the measured distance into the size form, in file units. */
function fillMeasured(ends: Place[], scene: Scene): void {
  const field = document.querySelector<HTMLInputElement>("#measured");
  if (field) field.value = String(Number((distance(ends) / scene.placement.scale).toPrecision(7)));
}
