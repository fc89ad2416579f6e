// What lengths of the view are shown in: millimetres, metres or inches, by choice. Files and steps keep their own unit.

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

/** Sizes that the page tells beside the view. */
export function showSizes(): void {
  for (const part of document.querySelectorAll<HTMLElement>("[data-size-in]")) {
    const { symbol, factor } = shownIn(part.dataset.sizeIn!);
    if (symbol === "mm" && part.dataset.was === undefined) continue;
    part.dataset.was ??= part.textContent ?? "";
    const sides = part.dataset.size!.split(" ").map((x) => text(Number(x) * factor));
    part.textContent = symbol === part.dataset.sizeIn ? part.dataset.was : `${sides.join(" × ")} ${symbol}`;
  }
}
