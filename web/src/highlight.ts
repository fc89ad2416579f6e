// What is pointed at, or spoken of, drawn over the body: facets in one colour, and lines that nothing hides.
import {
  BufferAttribute,
  BufferGeometry,
  DoubleSide,
  Group,
  LineBasicMaterial,
  LineSegments,
  type Material,
  Mesh,
  MeshBasicMaterial,
} from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";
import { clipped } from "./drawing";
import type { Geometry } from "./geometry";
import type { Place } from "./scene";

export interface Highlight {
  facets?: ArrayLike<number>;
  segments?: readonly [Place, Place][];
  colour: number;
  /** From 0, nothing, to 1. */
  opacity: number;
  /** Whether the edges of the facets are drawn too, in front of everything. */
  edges?: boolean;
}

/** A highlight as something to draw, or nothing if it is of nothing. */
export function drawn(g: Geometry, { facets = [], segments = [], colour, opacity, edges }: Highlight): Group | null {
  const root = new Group();
  if (facets.length > 0) {
    const index = new Uint32Array(facets.length * 3);
    for (let i = 0; i < facets.length; i++) index.set(g.facets.subarray(3 * facets[i], 3 * facets[i] + 3), 3 * i);
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(g.points, 3));
    shape.setIndex(new BufferAttribute(index, 1));
    const look = new MeshBasicMaterial({
      color: colour,
      transparent: true,
      opacity,
      side: DoubleSide,
      depthWrite: false,
      polygonOffset: true,
      polygonOffsetFactor: -1,
      polygonOffsetUnits: -1,
    });
    root.add(new Mesh(shape, clipped(look)));
    if (edges) root.add(outline(g, index, colour));
  }
  if (segments.length > 0) {
    const shape = new LineSegmentsGeometry();
    shape.setPositions(segments.flat(2));
    const look = new LineMaterial({ color: colour, linewidth: 4, depthTest: false });
    root.add(Object.assign(new LineSegments2(shape, look), { renderOrder: 3 }));
  }
  return root.children.length > 0 ? root : null;
}

function outline(g: Geometry, index: Uint32Array, colour: number): LineSegments {
  const ends = new Uint32Array(index.length * 2);
  for (let i = 0; i < index.length; i++) {
    ends[2 * i] = index[i];
    ends[2 * i + 1] = index[i - (i % 3) + ((i + 1) % 3)];
  }
  const shape = new BufferGeometry();
  shape.setAttribute("position", new BufferAttribute(g.points, 3));
  shape.setIndex(new BufferAttribute(ends, 1));
  const look = clipped(new LineBasicMaterial({ color: colour, depthTest: false, transparent: true }));
  return Object.assign(new LineSegments(shape, look), { renderOrder: 2 });
}

/** Gives back what a highlight holds. */
export function dispose(root: Group): void {
  root.traverse((o) => {
    const part = o as Partial<Mesh>;
    part.geometry?.dispose();
    for (const m of [part.material ?? []].flat()) (m as Material).dispose();
  });
}
