// Tables that are found in, sorted and ticked, one with what the view shows.

/** The number a cell begins with, thin spaces aside; NaN if it begins with none. */
const number = (text: string) => parseFloat(text.replaceAll("\u2009", "").replace("−", "-"));

/** Rows of a table by a column: numbers by size, words by the alphabet. */
export function ordered<T>(rows: T[], cell: (row: T) => string, down: boolean): T[] {
  const way = down ? -1 : 1;
  return [...rows].sort((a, b) => {
    const [x, y] = [cell(a), cell(b)];
    const [p, q] = [number(x), number(y)];
    return way * (Number.isNaN(p) || Number.isNaN(q) ? x.localeCompare(y) : p - q);
  });
}

/** “3, 7-9” of numbers. */
export function ranges(numbers: number[]): string {
  const all = [...new Set(numbers)].sort((a, b) => a - b);
  const parts: [number, number][] = [];
  for (const n of all) {
    const last = parts.at(-1);
    if (last && last[1] === n - 1) last[1] = n;
    else parts.push([n, n]);
  }
  return parts.map(([a, b]) => (a === b ? String(a) : `${a}-${b}`)).join(", ");
}

function sort(head: HTMLElement): void {
  const table = head.closest("table")!;
  const th = head.closest("th")!;
  const column = th.cellIndex;
  const down = th.getAttribute("aria-sort") === "ascending";
  for (const other of table.querySelectorAll("th[aria-sort]")) other.removeAttribute("aria-sort");
  th.setAttribute("aria-sort", down ? "descending" : "ascending");
  const body = table.tBodies[0];
  body.append(...ordered([...body.rows], (row) => row.cells[column]?.textContent?.trim() ?? "", down));
}

function find(field: HTMLInputElement): void {
  const words = field.value.trim().toLowerCase().split(/\s+/);
  const table = document.querySelector<HTMLTableElement>(`#${field.dataset.findIn}`);
  for (const row of table?.tBodies[0].rows ?? []) {
    const text = row.textContent?.toLowerCase() ?? "";
    row.hidden = !words.every((word) => text.includes(word)) && !row.querySelector("input:checked");
  }
}

/** Ticked members that have no row: tables end somewhere, a frame goes on. They last as long as their table. */
const beyond = new WeakMap<Element, Set<number>>();

function tickedBeyond(): Set<number> {
  const table = document.querySelector("#members tbody");
  if (!table) return new Set();
  if (!beyond.has(table)) beyond.set(table, new Set());
  return beyond.get(table)!;
}

/** Members that are ticked go into the forms that ask for some. */
function tell(): void {
  const ticked = [...document.querySelectorAll<HTMLInputElement>("[data-member-tick]:checked")];
  const numbers = [...ticked.map((box) => Number(box.value)), ...tickedBeyond()];
  for (const field of document.querySelectorAll<HTMLInputElement>("[data-ticked-members]"))
    field.value = numbers.length > 0 ? `#${ranges(numbers)}` : (field.dataset.all ?? "");
  const note = document.querySelector("#members-ticked");
  if (note) note.textContent = numbers.length > 0 ? `${numbers.length} ticked` : "none ticked: all";
}

/** Ticks the row of a member, or unticks it, and brings it into sight. */
export function toggleMember(n: number): void {
  const box = document.querySelector<HTMLInputElement>(`[data-member-tick][value="${n}"]`);
  if (!box) return;
  box.checked = !box.checked;
  box.closest("tr")!.hidden = false;
  box.scrollIntoView({ block: "nearest" });
  tell();
}

/** Ticks members and no others; or those too, or all but those of what is ticked. Whether there is a table of members. */
export function tickMembers(numbers: number[], add: boolean, less: boolean): boolean {
  const table = document.querySelector("#members tbody");
  if (!table) return false;
  const meant = new Set(numbers);
  const after = (n: number, before: boolean) => (less ? before && !meant.has(n) : meant.has(n) || (add && before));
  const others = tickedBeyond();
  const listed = new Set<number>();
  for (const box of table.querySelectorAll<HTMLInputElement>("[data-member-tick]")) {
    const n = Number(box.value);
    listed.add(n);
    box.checked = after(n, box.checked);
  }
  for (const n of new Set([...others, ...meant]))
    if (!listed.has(n) && after(n, others.has(n))) others.add(n);
    else others.delete(n);
  table.querySelector("input:checked")?.scrollIntoView({ block: "nearest" });
  tell();
  return true;
}

export function watchTables(): void {
  document.addEventListener("click", (event) => {
    const head = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-order]") : null;
    if (head) sort(head);
  });
  document.addEventListener("input", (event) => {
    if (event.target instanceof HTMLInputElement && event.target.dataset.findIn) find(event.target);
  });
  document.addEventListener("change", (event) => {
    const box = event.target instanceof HTMLInputElement ? event.target : null;
    if (box?.matches("[data-member-all]"))
      for (const own of document.querySelectorAll<HTMLInputElement>("[data-member-tick]"))
        if (!own.closest("tr")!.hidden) own.checked = box.checked;
    if (box?.matches("[data-member-all]")) tickedBeyond().clear();
    if (box?.matches("[data-member-all], [data-member-tick]")) tell();
  });
  document.body.addEventListener("htmx:afterSettle", tell);
  tell();
}
