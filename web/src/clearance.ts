// How far a body that is being placed is from others: by the trees over their facets, as they are drawn.
import { type BufferGeometry, Matrix4, Vector3 } from "three";
import { type HitPointInfo, MeshBVH } from "three-mesh-bvh";
import type { Place } from "./scene";

/** A surface with the tree over its facets. */
export interface Surface {
  shape: BufferGeometry;
  tree: MeshBVH;
}

/** The nearest places of two surfaces; of surfaces that cross there is no distance. */
export interface Clearance {
  crosses: boolean;
  distance: number;
  from: Place;
  to: Place;
}

export function surfaceOf(shape: BufferGeometry, tree = new MeshBVH(shape, { indirect: true })): Surface {
  shape.boundsTree = tree;
  return { shape, tree };
}

const hitPoint = (): HitPointInfo => ({ point: new Vector3(), distance: 0, faceIndex: 0 });

/** How far `own`, carried `by` a motion, is from `other`. */
export function clearance(own: Surface, by: Matrix4, other: Surface): Clearance {
  // In the other's numbers, as its tree is; the carried one is what is brought to it.
  if (other.tree.intersectsGeometry(own.shape, by))
    return { crosses: true, distance: 0, from: [0, 0, 0], to: [0, 0, 0] };
  const [on, off] = [hitPoint(), hitPoint()];
  const found = other.tree.closestPointToGeometry(own.shape, by, on, off);
  if (!found) return { crosses: false, distance: Infinity, from: [0, 0, 0], to: [0, 0, 0] };
  const from = off.point.applyMatrix4(by);
  return {
    crosses: false,
    distance: from.distanceTo(on.point),
    from: from.toArray() as Place,
    to: on.point.toArray() as Place,
  };
}
