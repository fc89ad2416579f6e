// The border between sheet and view: dragged, or moved with the arrow keys; kept for the next page.

const KEPT = "width of the sheet";
const [LEAST, USUAL] = [320, 404];
/** Pixels of one press of an arrow key. */
const STEP = 24;

/** A width that leaves room for both sides. */
export function fitting(wanted: number, page: number): number {
  return Math.round(Math.max(LEAST, Math.min(wanted, page * 0.6)));
}

function set(bar: HTMLElement, wanted: number): void {
  const width = fitting(wanted, window.innerWidth);
  document.querySelector<HTMLElement>(".workspace")?.style.setProperty("--sheet", `${width}px`);
  bar.setAttribute("aria-valuenow", String(width));
  localStorage.setItem(KEPT, String(width));
}

/** Makes the border of the workspace movable. */
export function makeSplitter(): void {
  const bar = document.querySelector<HTMLElement>("#splitter");
  if (!bar) return;
  const now = () => Number(bar.getAttribute("aria-valuenow")) || USUAL;
  const kept = Number(localStorage.getItem(KEPT));
  if (kept > 0) set(bar, kept);
  bar.addEventListener("pointerdown", (e) => bar.setPointerCapture(e.pointerId));
  bar.addEventListener("pointermove", (e) => {
    if (bar.hasPointerCapture(e.pointerId)) set(bar, e.clientX);
  });
  bar.addEventListener("dblclick", () => set(bar, USUAL));
  bar.addEventListener("keydown", (e) => {
    const by = e.key === "ArrowLeft" ? -STEP : e.key === "ArrowRight" ? STEP : 0;
    if (!by) return;
    e.stopPropagation();
    set(bar, now() + by);
  });
}
