// How the body stands, by one click: the face that is its floor, or the view that is its front.
import { Matrix4, Quaternion, Vector3 } from "three";
import { notify } from "../requests";
import type { Place } from "../scene";
import type { Bench, Tool } from "./tool";

/** How near a direction is to an axis that is meant: the cosine of a tenth of a degree. */
const AXIS = Math.cos((0.1 * Math.PI) / 180);

/** The axis that a direction lies along, as “+x”; nothing if it stands askew. */
export function axisOf(direction: Vector3): string | null {
  const parts = direction.toArray();
  const k = parts.findIndex((x) => Math.abs(x) >= AXIS);
  return k < 0 ? null : `${parts[k] > 0 ? "+" : "-"}${"xyz"[k]}`;
}

/** A turn as the step takes it: degrees about the axis along three numbers. */
export function turnOf(q: Quaternion): Place {
  const angle = 2 * Math.acos(Math.min(1, Math.abs(q.w)));
  const axis = new Vector3(q.x, q.y, q.z).multiplyScalar(Math.sign(q.w) || 1);
  if (axis.lengthSq() === 0) return [0, 0, 0];
  return axis
    .normalize()
    .multiplyScalar((angle * 180) / Math.PI)
    .toArray() as Place;
}

type Values = Record<string, string>;

/** The step that puts a face on the floor: its outward normal becomes -z, its place comes to z = 0. */
export function floor(normal: Vector3, at: Place): Values {
  const down = axisOf(normal);
  if (down) {
    const up = (down[0] === "+" ? "-" : "+") + down[1];
    return { step: "orient", up, forward: down[1] === "x" ? "+y" : "+x" };
  }
  const turn = turnOf(new Quaternion().setFromUnitVectors(normal, new Vector3(0, 0, -1)));
  return { step: "move_turn", turn: turn.join(", "), about: at.join(", "), by: `0, 0, ${-at[2]}` };
}

/** The step that makes a view the front: what faces the eye becomes +x, what is up on the screen +z. */
export function front(eye: Vector3, up: Vector3, about: Place): Values {
  const [forward, upward] = [axisOf(eye), axisOf(up)];
  if (forward && upward) return { step: "orient", up: upward, forward };
  const side = new Vector3().crossVectors(up, eye);
  const seen = new Matrix4().makeBasis(eye, side, up);
  const turn = turnOf(new Quaternion().setFromRotationMatrix(seen.transpose()));
  return { step: "move_turn", turn: turn.join(", "), about: about.join(", "), by: "0, 0, 0" };
}

/** Sends a step that was made by a click or a line in the view. */
export function post(values: Values): void {
  const form = document.querySelector<HTMLFormElement>("#standing");
  if (!form) return notify("The body cannot be changed while a preview is shown.");
  form.replaceChildren(
    ...Object.entries(values).map(([name, value]) => Object.assign(document.createElement("input"), { name, value })),
  );
  form.requestSubmit();
}

const options = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#stand-options")!;

export const stand: Tool = {
  id: "stand",
  keys: ["g"],
  title: "say how it stands: a face is the floor, a view the front",
  label: "Stand",
  mode: true,
  html: `<div class="sliders" id="stand-options" hidden><span>Click the face that is the floor, or</span> <button type="button" class="slim" id="is-front">this view is the front</button></div>`,
  attach(bench) {
    options(bench)
      .querySelector("#is-front")!
      .addEventListener("click", () => {
        const { camera, controls } = bench.view;
        const eye = new Vector3(...bench.view.gaze()).negate();
        const up = new Vector3(0, 1, 0).applyQuaternion(camera.quaternion);
        post(front(eye, up, controls.target.toArray() as Place));
      });
  },
  taken: (bench) => (options(bench).hidden = false),
  leave: (bench) => (options(bench).hidden = true),
  click(_, hit) {
    const [a, b, c] = hit.corners.map((p) => new Vector3(...p));
    const normal = b.sub(a).cross(c.sub(a));
    if (normal.lengthSq() > 0) post(floor(normal.normalize(), hit.at));
  },
};
