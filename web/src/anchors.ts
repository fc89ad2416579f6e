// Where the leaders of boundaries end: on a facet of the boundary that can be seen from here, if there is one.
import type { Geometry } from "./geometry";
import type { Place, Scene } from "./scene";
import type { View } from "./view";

/** Facets of each boundary that are tried. */
const TRIED = 40;
/** Bodies of more facets are not asked what hides what: finding out takes the browser as long as drawing them. */
const ASKED_UP_TO = 400_000;
/** Milliseconds without movement until it is asked again. */
const REST = 160;

export interface Anchor {
  at: Place;
  /** Whether it can be seen; not what is behind something else, cut away or out of the frame. */
  seen: boolean;
}

/** Some facets of each group, spread over all that it has. */
export function spread(group: Uint32Array, groups: number, most: number): number[][] {
  const counts = new Array<number>(groups).fill(0);
  for (const key of group) if (key < groups) counts[key]++;
  const seen = new Array<number>(groups).fill(0);
  const out = counts.map(() => [] as number[]);
  group.forEach((key, facet) => {
    if (key >= groups) return;
    const [i, n] = [seen[key]++, counts[key]];
    // The i-th of n is taken if it is the first of its share.
    const share = (k: number) => Math.floor((k * Math.min(most, n)) / n);
    if (i === 0 || share(i) !== share(i - 1)) out[key].push(facet);
  });
  return out;
}

/** The place nearest to the middle of all: of a boundary seen in several pieces, on one of them. */
export function middlemost(places: [number, number][]): number {
  const mean = [0, 1].map((k) => places.reduce((sum, p) => sum + p[k], 0) / places.length);
  const off = places.map(([x, y]) => Math.hypot(x - mean[0], y - mean[1]));
  return off.indexOf(Math.min(...off));
}

function middle(g: Geometry, facet: number): Place {
  const at: Place = [0, 0, 0];
  for (let k = 0; k < 3; k++) {
    const p = g.facets[3 * facet + k];
    for (let c = 0; c < 3; c++) at[c] += g.points[3 * p + c] / 3;
  }
  return at;
}

export class Anchors {
  /** By boundary, in the scene's order; empty until it has been found out. */
  places: Anchor[] = [];
  private of: Geometry | null = null;
  private tried: number[][] = [];
  private known = "";
  private timer = 0;

  constructor(private readonly view: View) {}

  /** Finds out again a moment after the last movement; `then` is told if something changed. */
  settle(scene: Scene, then: () => void): void {
    const geometry = this.view.drawing?.geometry ?? null;
    if (geometry !== this.of) {
      this.of = geometry;
      this.places = [];
      this.known = "";
    }
    clearTimeout(this.timer);
    if (!geometry || geometry.facets.length / 3 > ASKED_UP_TO || this.key(scene) === this.known) return;
    this.timer = window.setTimeout(() => {
      this.known = this.key(scene);
      this.tried = spread(geometry.boundary, scene.boundaries.length, TRIED);
      this.places = this.tried.map(
        (facets, i) => this.anchor(geometry, i, facets) ?? { at: scene.boundaries[i].at, seen: true },
      );
      then();
    }, REST);
  }

  private key(scene: Scene): string {
    return `${scene.revision} ${scene.boundaries.length} ${this.view.stand()}`;
  }

  /** Where the leader of a boundary ends; nowhere if the boundary has no facets. */
  private anchor(g: Geometry, boundary: number, facets: number[]): Anchor | null {
    if (facets.length === 0) return null;
    const places = facets.map((facet) => middle(g, facet));
    const seen = places.filter((at) => {
      const hit = this.view.pickAt(this.view.screen(at));
      return hit !== null && g.boundary[hit.facet] === boundary;
    });
    const among = seen.length > 0 ? seen : places;
    return { at: among[middlemost(among.map((at) => this.view.screen(at)))], seen: seen.length > 0 };
  }
}
