// The body moved and turned in the view: by bars and arcs, by carrying a place of it onto another body, by typed values,
// or by pairs of points. Nothing is done to the body until it is told to: then it is one step.
import { Matrix4, Plane, Quaternion, Vector3 } from "three";
import { type Dot, listen } from "../drag";
import { drawHandles } from "../handle_marks";
import * as handles from "../handles";
import { notify } from "../requests";
import { type Place, short } from "../scene";
import type { Hit, View } from "../view";
import { Pairs } from "./pairs";
import { snapped } from "./snap";
import { post, turnOf } from "./stand";
import type { Bench, Tool } from "./tool";

/** Pixels within which a datum attracts. */
const NEAR = 10;
/** Milliseconds of rest after which the clearance is computed. */
const REST = 120;
/** With more facets in the view the clearance is computed only where the drag ends. */
const WHILE_MOVING_UP_TO = 150_000;

type Drag =
  | { grip: handles.Grip; from: number; motion: handles.Motion; axes: handles.Axes }
  | { place: Vector3; normal: Vector3; plane: Plane };

let motion: handles.Motion | null = null;
let drag: Drag | null = null;
/** The number of the datum that the handles stand at; `null`: the middle of the body. */
let datum: number | null = null;
let near: { line: [Place, Place]; text: string } | null = null;
let clearing = 0;
/** The state that the motion is of. */
let of = 0;
const pairs = new Pairs();

const part = <T extends HTMLElement>(bench: Bench, id: string) => bench.frame.querySelector<T>(`#move-${id}`)!;
const byPairs = (bench: Bench) => part<HTMLInputElement>(bench, "pairs").checked;
const field = (bench: Bench, what: string, k: number) => part<HTMLInputElement>(bench, `${what}-${"xyz"[k]}`);

function middle(bench: Bench): Vector3 {
  const chosen = bench.scene()?.datums[datum ?? -1];
  return chosen ? new Vector3(...chosen.at) : (bench.view.drawing?.centre() ?? new Vector3());
}

/** The handles' directions: the world's, or those of the datum as it is turned now. */
function axesNow(bench: Bench): handles.Axes {
  const chosen = bench.scene()?.datums[datum ?? -1];
  if (!chosen || !motion) return handles.WORLD;
  const { turn } = motion;
  return handles.axesAlong(chosen.direction).map((a) => a.applyQuaternion(turn)) as handles.Axes;
}

const standing = () => motion!.about.clone().add(motion!.by);

/** Shows the body where the motion brings it, with its values and what they mean for other bodies. */
function show(bench: Bench, typed = false): void {
  if (!motion) return;
  const by = handles.matrixOf(motion);
  const moved = !by.equals(new Matrix4());
  bench.view.carry(moved ? by : null);
  bench.frame.dataset.carried = moved ? motion.by.toArray().map((x) => x.toFixed(3)).join(" ") : ""; // prettier-ignore
  part<HTMLButtonElement>(bench, "apply").disabled = !moved;
  part<HTMLButtonElement>(bench, "reset").disabled = !moved;
  if (!typed)
    for (let k = 0; k < 3; k++) {
      field(bench, "by", k).value = String(Number(motion.by.getComponent(k).toFixed(6)));
      field(bench, "turn", k).value = String(Number(turnOf(motion.turn)[k].toFixed(6)));
    }
  clearTimeout(clearing);
  const light = bench.view.facetsShown() <= WHILE_MOVING_UP_TO;
  if (light || !drag) clearing = window.setTimeout(() => tellClearance(bench), REST);
}

function tellClearance(bench: Bench): void {
  if (!motion) return;
  const unit = bench.scene()?.unit ?? "";
  const found = bench.view.clearance(handles.matrixOf(motion));
  const status = part(bench, "clearance");
  const other = bench.scene()?.others.find((o) => o.revision === found?.revision);
  near = null;
  if (!found)
    status.textContent = "No other surface is shown: “Shown” (V) brings bodies in, with the clearance to them.";
  else if (other && other.sized !== (unit === "mm"))
    status.textContent = `“${found.name}” and this body are not in one unit: set the unit of both first.`;
  else if (found.crosses) status.textContent = `It crosses “${found.name}”.`;
  else {
    const text = `${short(found.distance)} ${unit}`;
    near = { line: [found.from, found.to], text };
    status.textContent = `Clearance ${text} to “${found.name}”, as drawn.`;
  }
  status.classList.toggle("bad", found?.crosses ?? false);
  bench.view.redraw();
}

function fillDatums(bench: Bench): void {
  const select = part<HTMLSelectElement>(bench, "at");
  const named = bench.scene()?.datums ?? [];
  if (datum !== null && !named[datum]) datum = null;
  const option = (value: string, text: string, on: boolean) => new Option(text, value, on, on);
  select.replaceChildren(
    option("", "the middle of the body", datum === null),
    ...named.map((d, i) => option(String(i), `datum ${d.name}`, datum === i)),
  );
}

function reset(bench: Bench): void {
  motion = handles.still(middle(bench));
  near = null;
  show(bench);
}

function tellPairs(bench: Bench, instead?: string): void {
  part(bench, "pairs-told").textContent = instead ?? pairs.next();
  part<HTMLButtonElement>(bench, "bring").disabled = !pairs.areEnough;
  bench.view.redraw();
}

function switchWay(bench: Bench): void {
  const paired = byPairs(bench);
  for (const id of ["values", "hint", "clearance", "acts"]) part(bench, id).hidden = paired;
  for (const id of ["pairs-told", "pairing"]) part(bench, id).hidden = !paired;
  pairs.clear();
  reset(bench);
  if (paired) tellPairs(bench);
}

/** The values that were typed, as a motion. */
function readTyped(bench: Bench): void {
  if (!motion) return;
  const read = (what: string) => [0, 1, 2].map((k) => Number(field(bench, what, k).value.replace(",", ".")));
  const [by, turn] = [new Vector3(...read("by")), new Vector3(...read("turn"))];
  if (![...by.toArray(), ...turn.toArray()].every(Number.isFinite)) return;
  const angle = (turn.length() * Math.PI) / 180;
  motion = { ...motion, by, turn: new Quaternion().setFromAxisAngle(turn.normalize(), angle) };
  show(bench, true);
}

/** The own datum near a place of the screen, or the corner or edge that is meant. */
function grabbed(view: View, hit: Hit, datums: Place[], at: Dot): Vector3 {
  return new Vector3(...(datumNear(view, datums, at) ?? snapped(hit, (p) => view.screen(p)).at));
}

function datumNear(view: View, datums: Place[], [x, y]: Dot): Place | null {
  const off = (p: Place) => Math.hypot(view.screen(p)[0] - x, view.screen(p)[1] - y);
  return datums.filter((d) => off(d) <= NEAR).sort((a, b) => off(a) - off(b))[0] ?? null;
}

const normalOf = ({ corners: [a, b, c] }: Hit): Vector3 => {
  const [p, q, r] = [a, b, c].map((x) => new Vector3(...x));
  return q.sub(p).cross(r.sub(p)).normalize();
};

/** Begins a drag at a place of the frame, if something is there to be dragged. */
function begun(bench: Bench, at: Dot): Drag | null {
  const { view } = bench;
  if (!motion) return null;
  const axes = axesNow(bench);
  const here = standing();
  const where = (g: handles.Grip) => view.screen(handles.placeOf(g, here, axes, view.pixel()).toArray() as Place);
  const grip = handles.gripAt(handles.grips(axes, view.gaze()), where, at);
  if (grip) {
    const { ray } = view.ray(at);
    const from = grip.kind === "bar" ? handles.alongLine(here, axes[grip.axis], ray) : handles.angleOn(here, axes, grip.axis, ray); // prettier-ignore
    return from === null ? null : { grip, from, motion, axes };
  }
  const hit = view.pickAt(at);
  if (!hit) return null;
  const by = handles.matrixOf(motion);
  const datums = (bench.scene()?.datums ?? []).map((d) => new Vector3(...d.at).applyMatrix4(by).toArray() as Place);
  const place = grabbed(view, hit, datums, at);
  const back = motion.turn.clone().invert();
  const plane = new Plane().setFromNormalAndCoplanarPoint(new Vector3(...view.gaze()), place);
  return { place: place.clone().applyMatrix4(by.clone().invert()), normal: normalOf(hit).applyQuaternion(back), plane };
}

/** The motion that a drag to a place of the frame makes; `free` of round steps and of what attracts. */
function dragged(bench: Bench, now: Drag, at: Dot, free: boolean): handles.Motion {
  const { view } = bench;
  const { ray } = view.ray(at);
  if ("grip" in now) {
    const here = now.motion.about.clone().add(now.motion.by);
    const direction = now.axes[now.grip.axis];
    if (now.grip.kind === "bar") {
      const length = handles.alongLine(here, direction, ray) - now.from;
      return handles.shifted(now.motion, direction, free ? length : handles.rounded(length, view.pixel()));
    }
    const angle = handles.angleOn(here, now.axes, now.grip.axis, ray);
    if (angle === null) return now.motion;
    const degrees = ((angle - now.from) * 180) / Math.PI;
    const meant = free ? degrees : Math.round(degrees / handles.DEGREES) * handles.DEGREES;
    return handles.turned(now.motion, direction, (meant * Math.PI) / 180);
  }
  const hit = free ? null : view.pickAt(at, "beside");
  if (hit) {
    const shown = bench.frame.dataset.beside?.split(" ").map(Number) ?? [];
    const datums = (bench.scene()?.others ?? []).filter((o) => shown.includes(o.revision)).flatMap((o) => o.datums);
    const to = new Vector3(...(datumNear(view, datums, at) ?? snapped(hit, (p) => view.screen(p)).at));
    const faces = part<HTMLInputElement>(bench, "faces").checked
      ? { own: now.normal, other: normalOf(hit) }
      : undefined;
    return handles.carried(motion!, now.place, to, faces);
  }
  const to = ray.intersectPlane(now.plane, new Vector3());
  return to ? handles.carried(motion!, now.place, to) : motion!;
}

const numbers = (what: string) =>
  ["x", "y", "z"]
    .map((k) => `<td><label>${k} <input id="move-${what}-${k}" inputmode="decimal" value="0"></label></td>`)
    .join("");

export const move: Tool = {
  id: "move",
  keys: ["o"],
  title: "move and turn the body by hand, or by pairs of points",
  label: "Move",
  mode: true,
  everywhere: true,
  html: `<div class="sliders rows" id="move-ways" hidden><div><label><input type="radio" name="move-way" checked> by hand</label> <label><input type="radio" name="move-way" id="move-pairs"> by pairs of points</label></div>
    <div id="move-hint">Drag a bar, an arc, or the body onto another. Alt: any value.</div>
    <table id="move-values"><tr><th>Move</th>${numbers("by")}<td id="move-unit"></td></tr><tr><th>Turn</th>${numbers("turn")}<td>°</td></tr>
    <tr><th>About</th><td colspan="4"><select id="move-at"></select></td></tr></table>
    <div id="move-clearance" role="status"></div>
    <div id="move-acts"><label><input type="checkbox" id="move-faces"> face to face</label><span class="spacer"></span><button type="button" class="slim" id="move-reset">Back</button> <button type="button" class="slim do" id="move-apply">Move it</button></div>
    <div id="move-pairs-told" role="status"></div>
    <div id="move-pairing"><button type="button" class="slim" id="move-undo">Take the last back</button> <button type="button" class="slim do" id="move-bring">Bring it there</button></div></div>`,
  attach(bench) {
    const { frame, view } = bench;
    const isOurs = (e: PointerEvent) => bench.taken() === "move" && !byPairs(bench) && e.target === view.canvas;
    listen(frame, view.canvas, {
      begins(at, e) {
        drag = isOurs(e) ? begun(bench, at) : null;
        return drag !== null;
      },
      moves(at, e) {
        if (!drag) return;
        motion = dragged(bench, drag, at, e.altKey);
        show(bench);
      },
      ends() {
        drag = null;
        show(bench);
      },
    });
    for (const what of ["by", "turn"])
      for (let k = 0; k < 3; k++) field(bench, what, k).addEventListener("input", () => readTyped(bench));
    part(bench, "values").addEventListener("keydown", (e) => {
      if (e.key === "Enter" && e.target instanceof HTMLInputElement) part(bench, "apply").click();
    });
    part<HTMLSelectElement>(bench, "at").addEventListener("change", (e) => {
      const { value } = e.target as HTMLSelectElement;
      datum = value === "" ? null : Number(value);
      if (motion) motion = handles.toldAbout(motion, middle(bench));
      show(bench);
    });
    part(bench, "ways").addEventListener("change", (e) => {
      if (e.target instanceof HTMLInputElement && e.target.type === "radio") switchWay(bench);
    });
    part(bench, "reset").addEventListener("click", () => reset(bench));
    part(bench, "apply").addEventListener("click", () => {
      if (!motion) return;
      const { turn, about, by } = motion;
      post({ step: "move_turn", turn: turnOf(turn).join(", "), about: about.toArray().join(", "), by: by.toArray().join(", ") }); // prettier-ignore
    });
    part(bench, "undo").addEventListener("click", () => {
      pairs.back();
      tellPairs(bench);
    });
    part(bench, "bring").addEventListener("click", () => post(pairs.step()));
  },
  taken(bench) {
    of = bench.scene()?.revision ?? 0;
    part(bench, "ways").hidden = false;
    part(bench, "unit").textContent = bench.scene()?.unit ?? "";
    fillDatums(bench);
    switchWay(bench);
    bench.overlay.more = () => {
      if (byPairs(bench)) pairs.draw(bench.overlay, bench.view);
      else if (motion) drawHandles(bench, standing(), axesNow(bench), drag && "grip" in drag ? drag.grip : null, near, datum === null ? "xyz" : "12a"); // prettier-ignore
    };
    bench.frame.style.cursor = "move";
    if (bench.scene()?.preview) notify("A preview is shown: keep it or drop it before the body is moved.");
  },
  click(bench, hit) {
    if (!byPairs(bench)) return;
    const { at } = snapped(hit, (p) => bench.view.screen(p));
    tellPairs(bench, pairs.take(at, hit.own) ?? undefined);
  },
  changed(bench) {
    const scene = bench.scene();
    // Another place of the page: what is being done goes on.
    if (bench.taken() !== "move" || !scene || scene.revision === of) return;
    // Another state: the body is drawn where that has it, and the tool begins anew once it is.
    of = scene.revision;
    motion = null;
    near = null;
    const again = () => {
      if (bench.taken() !== "move" || bench.scene()?.revision !== of) return;
      fillDatums(bench);
      switchWay(bench);
    };
    void bench.view.show(scene).then(again, () => {});
  },
  leave(bench) {
    part(bench, "ways").hidden = true;
    clearTimeout(clearing);
    bench.overlay.more = null;
    bench.view.carry(null);
    bench.frame.dataset.carried = "";
    motion = null;
    drag = null;
    pairs.clear();
  },
};
