// What lengths are shown in, in the view, on the sheet and in the panels: millimetres, metres or inches, by choice. Files,
// steps and what is typed keep their own unit.

const KEY = "lengths shown in";

/** Millimetres of each. */
const FACTORS: Record<string, number> = { mm: 1, m: 1000, in: 25.4 };
export const SYMBOLS = Object.keys(FACTORS);

export interface Shown {
  symbol: string;
  /** What one of the body's unit is in the unit that is shown. */
  factor: number;
}

export function chosen(): string {
  const kept = typeof localStorage === "undefined" ? null : localStorage.getItem(KEY);
  return kept !== null && kept in FACTORS ? kept : "mm";
}

export function choose(symbol: string): void {
  localStorage.setItem(KEY, symbol);
  showSizes();
}

/** What lengths in `unit` are shown in: only millimetres are known well enough to be said otherwise. */
export function shownIn(unit: string, wanted = chosen()): Shown {
  return unit === "mm" ? { symbol: wanted, factor: 1 / FACTORS[wanted] } : { symbol: unit, factor: 1 };
}

/** A number with enough digits and no more, as the server writes it. */
const text = (x: number) => String(Number(x.toPrecision(4)));

const POWERS = ["", "", "²", "³"];

/** A quantity that the server wrote in millimetres, with the power of its unit. */
function showQuantity(part: HTMLDataElement, factor: number): void {
  if (factor === 1 && part.dataset.was === undefined) return;
  part.dataset.was ??= part.textContent ?? "";
  const inUnit = Number(part.value) * factor ** Number(part.dataset.power);
  part.textContent = factor === 1 ? part.dataset.was : text(inUnit);
}

/** Sizes that the page tells beside the view, and the quantities of the sheet and the panels below `root`. */
export function showSizes(root: ParentNode = document): void {
  const { symbol: wanted, factor: perMillimetre } = shownIn("mm");
  for (const part of root.querySelectorAll<HTMLDataElement>("data[data-power]")) showQuantity(part, perMillimetre);
  for (const part of root.querySelectorAll<HTMLElement>("[data-symbol]")) {
    const symbol = `${wanted}${POWERS[Number(part.dataset.symbol)]}`;
    if (part.textContent !== symbol) part.textContent = symbol;
  }
  for (const part of root.querySelectorAll<HTMLElement>("[data-size-in]")) {
    const { symbol, factor } = shownIn(part.dataset.sizeIn!);
    if (symbol === "mm" && part.dataset.was === undefined) continue;
    part.dataset.was ??= part.textContent ?? "";
    const sides = part.dataset.size!.split(" ").map((x) => text(Number(x) * factor));
    part.textContent = symbol === part.dataset.sizeIn ? part.dataset.was : `${sides.join(" × ")} ${symbol}`;
  }
}
