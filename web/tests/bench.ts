// What tools work with, without a browser that draws: a page with the view's frame, looked at from above, one unit a pixel.
import { Ray, Vector3 } from "three";
import type { Geometry } from "../src/geometry";
import type { Place, Scene } from "../src/scene";
import { build } from "../src/tools";
import type { Bench, Tool } from "../src/tools/tool";
import type { Hit, Whose } from "../src/view";
import { open, part } from "./page";

/** The middle of the frame in its pixels: where 0, 0 is seen. */
export const MIDDLE: [number, number] = [500, 300];

/** Where a place is seen: x to the right, y up, z towards the eye. */
export const screen = ([x, y]: Place): [number, number] => [MIDDLE[0] + x, MIDDLE[1] - y];

export const scene = (more: Partial<Scene> = {}): Scene => ({
  body: 3,
  revision: 7,
  now: 7,
  received: 5,
  preview: false,
  unit: "mm",
  boundaries: [],
  others: [],
  datums: [],
  findings: [],
  placement: { scale: 1, rotation: [[1, 0, 0], [0, 1, 0], [0, 0, 1]], moved: [0, 0, 0] },
  ...more,
}); // prettier-ignore

/** What was done with the view, in order: “look front”, “carry …”. */
export interface Stage extends Bench {
  done: string[];
  /** What is under the pointer, of this body or of others. */
  hits: Partial<Record<Whose, Hit>>;
  /** The steps that were sent. */
  sent: Record<string, string>[];
  now: Scene;
  /** Gives the clicks to a tool, as its button does. */
  use(tool: Tool): void;
  /** Drags from one place of the frame over others; lets go at the last. */
  drag(from: [number, number], over: [number, number][], keys?: { altKey?: boolean; shiftKey?: boolean }): void;
}

/** Opens the page of a body with all tools in its view. `rest` stands beside the view. */
export function stage(about: Scene = scene(), geometry: Partial<Geometry> = {}, rest = ""): Stage {
  open(`<div id="view"><canvas></canvas></div><form id="standing"></form><p id="notice"></p>${rest}`);
  const frame = part("#view");
  frame.setPointerCapture = () => undefined;
  const sent: Record<string, string>[] = [];
  part<HTMLFormElement>("#standing").requestSubmit = () =>
    void sent.push(Object.fromEntries([...document.querySelectorAll<HTMLInputElement>("#standing input")].map((i) => [i.name, i.value]))); // prettier-ignore
  const canvas = part("canvas");
  const done: string[] = [];
  const hits: Partial<Record<Whose, Hit>> = {};
  let taken = "turn";
  const drawn = { facets: Uint32Array.of(0, 1, 2), chunks: [], open: new Uint32Array(), min: [0, 0, 0], max: [10, 10, 10], ...geometry }; // prettier-ignore
  const known: Record<string, unknown> = {
    canvas,
    frame,
    edges: false,
    fullSize: false,
    insides: false,
    camera: { isInPerspective: false },
    controls: { enabled: true, target: new Vector3() },
    drawing: {
      geometry: drawn,
      centre: () => new Vector3(),
      hasPoints: () => drawn.facets.length === 0 && drawn.chunks.length === 0,
    },
    screen,
    pixel: () => 1,
    gaze: () => [0, 0, -1],
    unproject: ([x, y]: [number, number]) => [x - MIDDLE[0], MIDDLE[1] - y, 0],
    ray: ([x, y]: [number, number]) => ({ ray: new Ray(new Vector3(x - MIDDLE[0], MIDDLE[1] - y, 100), new Vector3(0, 0, -1)) }), // prettier-ignore
    pickAt: (_: unknown, whose: Whose = "own") => hits[whose] ?? null,
    facetsShown: () => 1,
    clearance: () => null,
    lookBeside: () => false,
    show: async () => undefined,
  };
  // Whatever else is done with the view is noted.
  const view = new Proxy(known, {
    get: (_, name: string) =>
      name in known ? known[name] : (...told: unknown[]) => void done.push([name, ...told.map(said)].join(" ")),
  });
  const bench = {
    frame,
    view,
    overlay: { measured: [], finding: null, compared: null, more: null, add: () => undefined, text: () => undefined },
    naming: { add: async (pick: unknown, add: boolean, remove: boolean) => void done.push(`pick ${said(pick)} ${add} ${remove}`) }, // prettier-ignore
    now: about,
    scene: () => bench.now,
    take: (id: string) => (taken = id),
    taken: () => taken,
    done,
    hits,
    sent,
    use(tool: Tool) {
      taken = tool.id;
      tool.taken?.(bench);
    },
    drag(from: [number, number], over: [number, number][], keys = {}) {
      const send = (kind: string, [clientX, clientY]: [number, number]) => {
        const event = new Event(kind, { bubbles: true, cancelable: true });
        canvas.dispatchEvent(
          Object.assign(event, { clientX, clientY, button: 0, pointerId: 1, altKey: false, shiftKey: false, ...keys }),
        );
      };
      send("pointerdown", from);
      over.forEach((at) => send("pointermove", at));
      send("pointerup", over.at(-1) ?? from);
    },
  } as unknown as Stage;
  build(frame);
  return bench;
}

/** A value in a line of text. */
function said(value: unknown): string {
  if (value instanceof Set) return `{${[...value].join()}}`;
  if (typeof value === "object" && value !== null && "elements" in value)
    return `[${(value as { elements: number[] }).elements.map((x) => Number(x.toFixed(6)) + 0).join()}]`;
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

/** A hit on a facet across z at a place, its corners far from it. */
export const hitAt = (at: Place, own = true): Hit => ({
  at,
  facet: 0,
  own,
  corners: [[at[0] - 200, at[1] - 200, at[2]], [at[0] + 200, at[1] - 200, at[2]], [at[0], at[1] + 300, at[2]]],
}); // prettier-ignore
