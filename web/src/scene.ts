// What the page says about the body: written by the server into the element #scene.

export type Place = [number, number, number];

export interface Finding {
  kind: string;
  at: Place;
  radius: number;
  from: Place;
  text: string;
}

export interface Scene {
  body: number;
  revision: number;
  /** The state the body is at: another one while a preview is shown. */
  now: number;
  received: number;
  preview: boolean;
  unit: string;
  boundaries: { name: string; at: Place; colour: number }[];
  /** The project's other bodies, with the state each is at, whether its unit is set, and where its datums are. */
  others: { body: number; name: string; revision: number; sized: boolean; datums: Place[] }[];
  /** Datums that have a direction. */
  datums: { name: string; at: Place; direction: Place }[];
  findings: Finding[];
  placement: { scale: number; rotation: [Place, Place, Place]; moved: Place };
}

export function readScene(): Scene | null {
  return JSON.parse(document.querySelector("#scene")?.textContent ?? "null") as Scene | null;
}

/** A, B, … Z, AA, AB, … */
export function letter(i: number): string {
  const last = String.fromCharCode(65 + (i % 26));
  return i < 26 ? last : letter(Math.floor(i / 26) - 1) + last;
}

/** About four digits, thin spaces between thousands. */
export function short(x: number): string {
  if (x === 0) return "0";
  const places = Math.max(0, Math.min(6, 3 - Math.floor(Math.log10(Math.abs(x)))));
  const [whole, rest] = Math.abs(x).toFixed(places).split(".");
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, "\u2009");
  const tail = rest?.replace(/0+$/, "");
  return (x < 0 ? "−" : "") + (tail ? `${grouped}.${tail}` : grouped);
}
