// The tools of the view, in the order of their buttons and keys.
import { compare } from "./compare";
import { arrows, look, whole } from "./look";
import { draw } from "./draw";
import { hover } from "./hover";
import { mark } from "./mark";
import { measure } from "./measure";
import { pick, turn } from "./modes";
import { move } from "./move";
import { drawer, escape, keysOf, logbook } from "./page";
import { picture } from "./picture";
import { places } from "./places";
import { plane, section } from "./section";
import { shown } from "./shown";
import { stand } from "./stand";
import { station } from "./station";
import type { Bench, Tool } from "./tool";

export const TOOLS: readonly Tool[] = [
  places,
  turn,
  pick,
  mark,
  measure,
  draw,
  stand,
  move,
  section,
  plane,
  compare,
  shown,
  picture,
  whole,
  look,
  arrows,
  hover,
  station,
  logbook,
  drawer,
  escape,
  keysOf(() => TOOLS),
];

/** The tool that a key presses. */
export const byKey = (key: string): Tool | undefined => TOOLS.find((tool) => tool.keys.includes(key));

/** Puts buttons and what belongs to them into the view. */
export function build(frame: HTMLElement): void {
  const host = document.createElement("div");
  const button = (tool: Tool) => {
    const kind = tool.mode ? `data-mode="${tool.id}"` : `id="${tool.id === "keys" ? "keys-button" : tool.id}"`;
    const key = tool.keys[0]?.toUpperCase();
    return `<button type="button" ${kind} data-tool="${tool.id}" title="${tool.title[0].toUpperCase()}${tool.title.slice(1)} (${key})">${tool.label}</button>`;
  };
  const buttons = TOOLS.filter((tool) => tool.label).map(button);
  host.innerHTML = `<div class="tools" role="toolbar" aria-label="Tools of the view">${buttons.join("")}</div>
    ${TOOLS.map((tool) => tool.html ?? "").join("")}`;
  // What tools ask for stands in one column, below the buttons.
  const options = document.createElement("div");
  options.className = "options";
  options.append(...host.querySelectorAll(".sliders"));
  frame.append(...host.children, options);
}

/** Presses a tool: a mode takes the clicks, anything else does what it does. */
export function press(bench: Bench, tool: Tool, key = ""): void {
  if (tool.mode) bench.take(tool.id);
  else tool.press?.(bench, key);
}
