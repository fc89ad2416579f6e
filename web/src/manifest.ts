// The bodies of a project: found by words, sorted by a column, ticked to do something with several at once. All of it stays
// when the list is drawn again by itself, and over a reload.

interface Kept {
  find: string;
  sort: string;
  down: boolean;
  ticked: string[];
  /** Whether bodies that are hidden are listed. */
  hidden?: boolean;
  /** Groups that are folded. */
  folded?: string[];
}

const KEY = `bodies of ${location.pathname}`;
const kept: Kept = { find: "", sort: "", down: false, ticked: [] };

const lines = () => [...document.querySelectorAll<HTMLTableSectionElement>("#bodies > tbody[data-name]")];
const tick = (line: Element) => line.querySelector<HTMLInputElement>("[data-tick]")!;
const field = (id: string) => document.querySelector<HTMLInputElement>(id);

/** Whether a line has every word that is looked for. */
function isFound(line: HTMLElement): boolean {
  const text = (line.dataset.find ?? "").toLowerCase();
  return kept.find
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** Whether a line is neither hidden nor in a group that is folded. */
function isListed(line: HTMLElement): boolean {
  const folded = !kept.find && kept.folded?.includes(line.dataset.group ?? "");
  return !folded && (kept.hidden === true || line.dataset.hidden === undefined);
}

function compare(a: HTMLElement, b: HTMLElement): number {
  const [x, y] = [a, b].map((line) => line.dataset[kept.sort] ?? "");
  const group = (a.dataset.group ?? "").localeCompare(b.dataset.group ?? "");
  if (group !== 0 || !kept.sort) return group;
  const order = Number(x) - Number(y);
  return (Number.isNaN(order) ? x.localeCompare(y) : order) * (kept.down ? -1 : 1);
}

/** Puts the lines in order, unless they are. */
function sort(): void {
  const table = document.querySelector("#bodies");
  if (!table) return;
  for (const head of table.querySelectorAll("[data-sort]")) {
    const own = head.getAttribute("data-sort") === kept.sort;
    const way = kept.down ? "descending" : "ascending";
    head.closest("th")!.setAttribute("aria-sort", own ? way : "none");
  }
  const now = lines();
  // Sorting keeps the order of what is equal: without a column, bodies stay in the order they came in.
  const wanted = [...now].sort(compare);
  if (wanted.some((line, i) => line !== now[i])) table.append(...wanted);
  head(table, wanted);
}

/** Puts a heading that folds before each group. */
function head(table: Element, all: HTMLElement[]): void {
  const firsts = all.filter((line, i) => line.dataset.group && line.dataset.group !== all[i - 1]?.dataset.group);
  const heads = [...table.querySelectorAll<HTMLElement>("tbody[data-head]")];
  if (heads.length === firsts.length && firsts.every((line, i) => line.previousElementSibling === heads[i])) return;
  for (const old of heads) old.remove();
  for (const first of firsts) {
    const body = document.createElement("tbody");
    body.dataset.head = first.dataset.group;
    const cell = body.insertRow().insertCell();
    cell.colSpan = 11;
    const button = cell.appendChild(document.createElement("button"));
    button.type = "button";
    button.className = "group-head";
    button.textContent = first.dataset.group!;
    button.dataset.fold = first.dataset.group;
    first.before(body);
  }
}

/** Shows the list as it is found, sorted and ticked. */
function show(): void {
  sort();
  const all = lines();
  const there = new Set(all.map((line) => tick(line).value));
  kept.ticked = kept.ticked.filter((id) => there.has(id));
  sessionStorage.setItem(KEY, JSON.stringify(kept));
  for (const line of all) {
    tick(line).checked = kept.ticked.includes(tick(line).value);
    // What is ticked stays in sight: it is what something is done with.
    line.hidden = !(isFound(line) && isListed(line)) && !tick(line).checked;
  }
  for (const button of document.querySelectorAll<HTMLElement>("[data-fold]")) {
    const group = button.dataset.fold!;
    const own = all.filter((line) => line.dataset.group === group);
    button.setAttribute("aria-expanded", String(!kept.folded?.includes(group)));
    button.textContent = `${group} (${own.length})`;
  }
  const showHidden = field("#show-hidden");
  if (showHidden) showHidden.checked = kept.hidden === true;
  const shown = all.filter((line) => !line.hidden);
  field("#find-bar")!.hidden = all.length === 0;
  document.querySelector("#found")!.textContent = kept.find ? `${shown.length} of ${all.length} shown` : "";
  const head = field("#tick-all");
  if (head) {
    head.checked = shown.length > 0 && shown.every((line) => tick(line).checked);
    head.indeterminate = !head.checked && kept.ticked.length > 0;
  }
  document.querySelector<HTMLElement>("#together")!.hidden = kept.ticked.length === 0;
  document.querySelector("#ticked")!.textContent = `${kept.ticked.length} ticked:`;
}

function listen(): void {
  Object.assign(kept, JSON.parse(sessionStorage.getItem(KEY) ?? "{}"));
  field("#find")!.value = kept.find;
  document.addEventListener("input", (event) => {
    if (!(event.target instanceof HTMLInputElement) || event.target.id !== "find") return;
    kept.find = event.target.value.trim();
    show();
  });
  document.addEventListener("change", (event) => {
    const box = event.target;
    if (!(box instanceof HTMLInputElement)) return;
    if (box.id === "show-hidden") {
      kept.hidden = box.checked;
      return show();
    }
    if (box.id === "tick-all") for (const line of lines()) if (!line.hidden) tick(line).checked = box.checked;
    if (box.id !== "tick-all" && !box.matches("[data-tick]")) return;
    kept.ticked = lines()
      .map(tick)
      .filter((own) => own.checked)
      .map((own) => own.value);
    show();
  });
  document.addEventListener("click", (event) => {
    const group = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-fold]") : null;
    if (group) {
      const name = group.dataset.fold!;
      const folded = kept.folded ?? [];
      kept.folded = folded.includes(name) ? folded.filter((g) => g !== name) : [...folded, name];
      return show();
    }
    const head = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-sort]") : null;
    if (!head) return;
    kept.down = kept.sort === head.dataset.sort && !kept.down;
    kept.sort = head.dataset.sort!;
    show();
  });
  // What is ticked is sent as it is kept: the list may just be drawn again, its ticks not set yet.
  document.body.addEventListener("htmx:configRequest", (event) => {
    const { elt, formData } = (event as CustomEvent<{ elt: Element; formData: FormData }>).detail;
    if (elt.id !== "together") return;
    formData.delete("body");
    for (const id of kept.ticked) formData.append("body", id);
  });
  for (const kind of ["htmx:afterSwap", "htmx:afterSettle"]) document.body.addEventListener(kind, show);
  show();
}

if (document.querySelector("#together")) listen();

export {};
