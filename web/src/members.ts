// Lines in space under the pointer: members of a frame, their ends, middles and thirds.
import type { Geometry } from "./geometry";
import { decodeLines } from "./kinds/lines";
import type { Place } from "./scene";

type Dot = [number, number];

/** Pixels within which a line, or a place on one, is meant. */
const NEAR = 10;
/** Places along a member that attract, as shares of its length, with what they are. */
const SNAPS: [number, string][] = [[0, "joint"], [1, "joint"], [1 / 2, "middle"], [1 / 3, "third"], [2 / 3, "third"]]; // prettier-ignore

/** The ends of every straight piece: of a frame, one a member, in order. */
export function segmentsOf(g: Geometry): [Place, Place][] {
  const chunk = g.chunks.find((c) => c.tag === "LINE");
  if (!chunk) return [];
  const all = decodeLines(chunk.words, g);
  return Array.from({ length: all.length / 6 }, (_, i) => [
    [...all.subarray(6 * i, 6 * i + 3)] as Place,
    [...all.subarray(6 * i + 3, 6 * i + 6)] as Place,
  ]);
}

const along = ([a, b]: [Place, Place], t: number) => [0, 1, 2].map((k) => a[k] + t * (b[k] - a[k])) as Place;

/** The piece nearest to a place of the screen, with the share of its length there; nothing if none is near. */
export function nearest(
  pieces: [Place, Place][],
  screen: (at: Place) => Dot,
  [x, y]: Dot,
): { piece: number; share: number } | null {
  let best: { piece: number; share: number } | null = null;
  let least = NEAR;
  pieces.forEach((piece, i) => {
    const [[ax, ay], [bx, by]] = piece.map(screen);
    const [dx, dy] = [bx - ax, by - ay];
    const share = Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
    const off = Math.hypot(ax + share * dx - x, ay + share * dy - y);
    if (off < least) [best, least] = [{ piece: i, share }, off];
  });
  return best;
}

/** Whether a place of the screen lies inside a closed outline: how often a ray to the right crosses it (even-odd rule). */
export function isInside(outline: Dot[], [x, y]: Dot): boolean {
  let inside = false;
  outline.forEach(([bx, by], i) => {
    const [ax, ay] = outline.at(i - 1)!;
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
  });
  return inside;
}

/** The pieces with both ends inside an outline, and how many places at which pieces end are inside. */
export function enclosed(
  pieces: [Place, Place][],
  screen: (at: Place) => Dot,
  outline: Dot[],
): { pieces: number[]; ends: number } {
  const ends = new Set<string>();
  const whole = pieces.flatMap((piece, i) => {
    const inside = piece.filter((at) => isInside(outline, screen(at)));
    inside.forEach((at) => ends.add(at.join()));
    return inside.length === 2 ? [i] : [];
  });
  return { pieces: whole, ends: ends.size };
}

/** The joint, middle or third of a piece that a click near it was meant for; else the place on it. */
export function snappedTo(
  piece: [Place, Place],
  screen: (at: Place) => Dot,
  [x, y]: Dot,
  share: number,
): { at: Place; to: string } {
  for (const [t, to] of SNAPS) {
    const at = along(piece, t);
    const [px, py] = screen(at);
    if (Math.hypot(px - x, py - y) <= NEAR) return { at, to };
  }
  return { at: along(piece, share), to: "place on a member" };
}
