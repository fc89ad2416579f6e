// Stations of the stand-in scanner: one where the eye is, and all of them drawn in the view, where they are dragged.
import { Plane, Vector3 } from "three";
import { listen } from "../drag";
import type { Place } from "../scene";
import type { Bench, Tool } from "./tool";

/** Pixels within which a station is meant. */
const REACH = 14;
const INK = "var(--color-ink)";
const SHEET = "var(--color-sheet)";
const MET = "var(--color-met)";

/** The station that is dragged, by its number from 0. */
let dragged: number | null = null;

const field = (): HTMLInputElement | null => document.querySelector("input[name=stations]");

/** The stations that are typed: places with semicolons between. What is no place is left out. */
export function stationsOf(typed: string): Place[] {
  const numbers = typed.split(";").map((place) => place.split(",").map((x) => parseFloat(x.replace("−", "-"))));
  return numbers.filter((place) => place.length === 3 && place.every(Number.isFinite)) as Place[];
}

/** Stations as they are typed, each number with five digits. */
export const typedOf = (stations: Place[]): string =>
  stations.map((place) => place.map((x) => Number(x.toPrecision(5))).join(", ")).join("; ");

/** Writes stations into the form, which is then of a scan. The two that stand there at first are examples. */
function write(stations: Place[]): void {
  const typed = field();
  if (!typed) return;
  typed.dataset.own = "yes";
  typed.value = typedOf(stations);
  typed.form!.querySelector<HTMLInputElement>("[name=by][value=scan]")?.click();
}

/** Adds a station where the eye looks from. */
function addHere({ view }: Bench): void {
  const typed = field();
  if (!typed || !view.drawing) return;
  const { min, max } = view.drawing.geometry;
  const away = 1.5 * Math.hypot(...[0, 1, 2].map((k) => max[k] - min[k]));
  const middle = view.drawing.centre().toArray();
  const here = view.gaze().map((d, k) => middle[k] - away * d) as Place;
  write([...(typed.dataset.own ? stationsOf(typed.value) : []), here]);
  view.redraw();
}

/** Draws each station with its number and the line along which it looks at the body's middle. */
function drawStations({ overlay, view }: Bench): void {
  const [mx, my] = view.screen((view.drawing?.centre() ?? new Vector3()).toArray() as Place);
  stationsOf(field()?.value ?? "").forEach((station, i) => {
    const [x, y] = view.screen(station);
    const colour = i === dragged ? MET : INK;
    overlay.add("path", { d: `M${x} ${y}L${mx} ${my}`, stroke: colour, "stroke-dasharray": "6 5", fill: "none" });
    // A surveyor's tripod: three legs below a head with the number.
    overlay.add("path", { d: `M${x - 9} ${y + 22}L${x} ${y + 6}L${x + 9} ${y + 22}M${x} ${y + 6}V${y + 24}`, stroke: colour, "stroke-width": 1.6, fill: "none" }); // prettier-ignore
    overlay.add("circle", { cx: x, cy: y, r: 10, fill: i === dragged ? MET : SHEET, stroke: colour, "stroke-width": 1.6, class: "grip" }); // prettier-ignore
    const label = { "text-anchor": "middle", "font-weight": 700, "font-size": 11, fill: i === dragged ? SHEET : INK };
    overlay.text(x, y + 4, String(i + 1), label);
  });
}

/** The station under a place of the frame. */
function stationAt({ view }: Bench, [x, y]: [number, number]): number | null {
  const off = stationsOf(field()?.value ?? "").map((s) => Math.hypot(view.screen(s)[0] - x, view.screen(s)[1] - y));
  const near = off.indexOf(Math.min(...off));
  return near >= 0 && off[near] <= REACH ? near : null;
}

/** Brings the dragged station to a place of the frame, as far from the eye as it is. */
function drag({ view }: Bench, at: [number, number]): void {
  if (dragged === null) return;
  const stations = stationsOf(field()?.value ?? "");
  if (!stations[dragged]) return;
  const plane = new Plane().setFromNormalAndCoplanarPoint(
    new Vector3(...view.gaze()),
    new Vector3(...stations[dragged]),
  );
  const to = view.ray(at).ray.intersectPlane(plane, new Vector3());
  if (!to) return;
  stations[dragged] = to.toArray() as Place;
  write(stations);
  view.redraw();
}

export const station: Tool = {
  id: "station",
  keys: [],
  title: "shows a scan's stations, to be dragged",
  mode: true,
  taken(bench) {
    const { drawing } = bench.view;
    const stations = stationsOf(field()?.value ?? "");
    bench.overlay.more = () => drawStations(bench);
    if (!drawing || stations.length === 0) return;
    const middle = drawing.centre();
    const reach = stations.map((s) => middle.distanceTo(new Vector3(...s)));
    bench.view.flyTo(middle.toArray() as Place, 0.8 * Math.max(...reach));
  },
  leave(bench) {
    bench.overlay.more = null;
    dragged = null;
  },
  attach(bench) {
    const { frame, view } = bench;
    listen(frame, view.canvas, {
      begins(at, e) {
        if (bench.taken() !== "station" || e.target !== view.canvas) return false;
        dragged = stationAt(bench, at);
        return dragged !== null;
      },
      moves: (at) => drag(bench, at),
      ends() {
        dragged = null;
        view.redraw();
      },
    });
    document.addEventListener("click", (e) => {
      if (e.target instanceof Element && e.target.closest("[data-station]")) addHere(bench);
    });
    document.addEventListener("input", (e) => {
      if (bench.taken() === "station" && e.target === field()) view.redraw();
    });
  },
};
