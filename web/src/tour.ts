// The first way through the demo: a note that says what to do next, and goes on by itself when that is done.

const KEY = "first way";

interface Stop {
  says: string;
  /** Whether it is done, as the page tells. */
  isDone(): boolean;
}

const at = (path: string) => location.pathname.startsWith(path);
const verdict = (row: string) => document.querySelector(`#row-${row} .w`)?.textContent?.trim() ?? "";
const isMet = (row: string) => ["met", "waived"].includes(verdict(row));
const noneLeft = (...rows: string[]) => rows.every(isMet);

export const STOPS: Stop[] = [
  { says: "Open the demo's project.", isDone: () => at("/projects/") || at("/bodies/") },
  {
    says: "This list is the manifest: each body with its size, its unit and what stands between it and its solver. Open the raw water manifold, a torn part with holes and no unit.",
    isDone: () => at("/bodies/"),
  },
  {
    says: "The sheet at the left is the list of what the solver asks. The open row asks for the unit: its table says how large the part would be in each. It was drawn in inches: press “in”.",
    isDone: () => isMet("unit_known"),
  },
  {
    says: "The next row asks how the part stands. Its file has Y up: choose +y and press “Set axes”. The view at the right is turned by dragging; the wheel comes nearer.",
    isDone: () => isMet("axes_chosen"),
  },
  {
    says: "Now the surface: holes, crossings, duplicates. Press “Propose a repair”. Each line is a step that was tried on a copy, with what it did; run them.",
    isDone: () => noneLeft("closed", "no_crossings", "outward"),
  },
  {
    says: "The solver takes boundaries by name. Press P, click the round opening at one end and type “inlet”; the other end is “outlet”; with nothing picked, “wall” names the rest.",
    isDone: () =>
      noneLeft("closed", "all_named", "inlet_present", "outlet_present") ||
      document.querySelector("#hand-over") !== null,
  },
  {
    says: "Nothing is left. Press “Hand over”: files are written, read back and compared with what is here.",
    isDone: () => at("/handovers/"),
  },
  {
    says: "Done. The table says what was written and that reading it gives the same body. Every step is in the logbook; “Back” undoes any of them. The guide says the rest.",
    isDone: () => false,
  },
];

/** The stop that somebody is at; none if they are on no way. */
function now(): number | null {
  const kept = localStorage.getItem(KEY);
  return kept === null ? null : Math.min(Number(kept), STOPS.length - 1);
}

function end(): void {
  localStorage.removeItem(KEY);
  document.querySelector("#tour")?.remove();
}

function show(): void {
  let stop = now();
  if (stop === null) return;
  while (STOPS[stop].isDone()) stop++;
  localStorage.setItem(KEY, String(stop));
  let note = document.querySelector<HTMLElement>("#tour");
  if (!note) {
    note = document.createElement("section");
    note.id = "tour";
    note.className = "tour";
    note.setAttribute("aria-label", "First way through the demo");
    note.innerHTML = `<b></b><p role="status"></p><span class="act"><button type="button" class="slim" data-tour="next">Go on</button><button type="button" class="slim" data-tour="end">End</button></span>`;
    document.body.append(note);
  }
  note.querySelector("b")!.textContent = `${stop + 1} of ${STOPS.length}`;
  note.querySelector("p")!.textContent = STOPS[stop].says;
  note.querySelector<HTMLElement>("[data-tour=next]")!.hidden = stop === STOPS.length - 1;
}

/** Follows whoever began the way, over all pages. */
export function followTour(): void {
  document.addEventListener("click", (event) => {
    const pressed = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-tour]") : null;
    if (!pressed) return;
    if (pressed.dataset.tour === "end") return end();
    localStorage.setItem(KEY, String(pressed.dataset.tour === "begin" ? 0 : (now() ?? 0) + 1));
    show();
  });
  document.body.addEventListener("htmx:afterSettle", show);
  show();
}
