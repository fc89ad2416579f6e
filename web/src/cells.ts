// Cells of the tables of a frame that are changed where they stand: Enter sends what was typed, Escape leaves it.
import { notify } from "./requests";
import { post } from "./tools/stand";

type Values = Record<string, string>;

/** Of a frame whose members were given no material yet. */
const MATERIAL = "S235";

/** The number that is typed, with a comma or a point; NaN if it is none. */
const numberOf = (typed: string) => Number(typed.replaceAll("\u2009", "").replace(",", ".").replace("−", "-") || NaN);

/** The step that gives members a section: as in “IPE 200 of S355”, or the section alone for the material they have. */
export function sectionStep(typed: string, before: string, members: string, turn: string): Values {
  const [section, material] = typed.split(/\s+of\s+/);
  const kept = before.split(/\s+of\s+/)[1] ?? MATERIAL;
  return { step: "set_section", layer: members, section: section.trim(), material: (material ?? kept).trim(), turn };
}

/** The step that brings a joint to another place along one axis; a sentence if that is no number, nothing if it is there. */
export function jointStep(typed: string, at: string, axis: number): Values | string | null {
  const to = numberOf(typed);
  if (!Number.isFinite(to)) return `“${typed}” is no number: a coordinate is a number of millimetres.`;
  const from = Number(at.split(",")[axis]);
  if (to === from) return null;
  return { step: "move_joint", at, by: [0, 1, 2].map((k) => (k === axis ? to - from : 0)).join(", ") };
}

function stepOf(cell: HTMLElement, typed: string): Values | string | null {
  const row = cell.closest("tr")!;
  if (cell.dataset.edit !== "section") return jointStep(typed, row.dataset.at!, Number(cell.dataset.edit));
  const box = row.querySelector<HTMLInputElement>("[data-member-tick]")!;
  // A ticked row stands for all that are ticked.
  const ticked = document.querySelector<HTMLInputElement>("[data-ticked-members]");
  return sectionStep(typed, cell.textContent!, box.checked ? ticked!.value : `#${box.value}`, cell.dataset.turn!);
}

function open(cell: HTMLElement): void {
  const before = cell.textContent!.trim();
  const exact = cell.closest("tr")!.dataset.at?.split(",")[Number(cell.dataset.edit)]?.trim();
  const field = Object.assign(document.createElement("input"), { value: exact ?? before, className: "in-cell" });
  field.setAttribute("aria-label", cell.title);
  const close = () => {
    field.removeEventListener("blur", close);
    field.remove();
    cell.hidden = false;
  };
  field.addEventListener("blur", close);
  field.addEventListener("keydown", (event) => {
    // Keys of the view are letters too.
    event.stopPropagation();
    if (event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    const typed = field.value.trim();
    close();
    cell.focus();
    const step = event.key === "Enter" && typed !== "" && typed !== before ? stepOf(cell, typed) : null;
    if (typeof step === "string") notify(step);
    else if (step) post(step);
  });
  cell.hidden = true;
  cell.after(field);
  field.select();
}

export function watchCells(): void {
  document.addEventListener("click", (event) => {
    const cell = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-edit]") : null;
    if (cell) open(cell);
  });
}
