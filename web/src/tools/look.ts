// Standard views, and one that fits the body in.
import { STANDARD } from "../view";
import type { Tool } from "./tool";

const [fit, ...sides] = Object.keys(STANDARD);

/** The axis from which a standard view looks, as “+x”. */
function axis(view: string): string {
  const place = STANDARD[view];
  const k = place.findIndex((x) => x !== 0);
  return `${place[k] > 0 ? "+" : "−"}${"xyz"[k]}`;
}

export const whole: Tool = {
  id: "fit",
  keys: ["f", "0"],
  told: "F or 0",
  title: "fit the body into the view",
  press: (bench) => bench.view.look(fit),
};

export const look: Tool = {
  id: "look",
  keys: sides.map((_, i) => String(i + 1)),
  told: "1 … 6",
  title: "from the front, back, left, right, top, bottom",
  html: `<div class="tools standard" role="toolbar" aria-label="Standard views"><button type="button" data-look="${fit}" title="Fit (F)">Fit</button>${sides
    .map((v, i) => `<button type="button" data-look="${v}" title="From the ${v} (${i + 1})">${v} ${axis(v)}</button>`)
    .join("")}</div>`,
  attach: (bench) =>
    bench.frame.addEventListener("click", (event) => {
      const button = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-look]") : null;
      if (button) bench.view.look(button.dataset.look!);
    }),
  press: (bench, key) => bench.view.look(sides[Number(key) - 1]),
};

/** Degrees of one press of an arrow key. */
const STEP = (15 * Math.PI) / 180;
const ARROWS: Record<string, [number, number]> = {
  arrowleft: [-STEP, 0],
  arrowright: [STEP, 0],
  arrowup: [0, STEP],
  arrowdown: [0, -STEP],
};

export const arrows: Tool = {
  id: "arrows",
  keys: Object.keys(ARROWS),
  told: "← → ↑ ↓",
  title: "turn by 15°",
  press: (bench, key) => bench.view.turnBy(...ARROWS[key]),
};
