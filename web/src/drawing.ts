// A body as three.js objects: shaded facets by boundary, facet edges, outlines, findings' lines.
import {
  BufferAttribute,
  BufferGeometry,
  Color,
  DoubleSide,
  Group,
  type Intersection,
  LineBasicMaterial,
  LineSegments,
  type Material,
  Mesh,
  Points,
  PointsMaterial,
  type Raycaster,
  ShaderMaterial,
  Vector3,
} from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";
import { acceleratedRaycast } from "three-mesh-bvh";
import { type Surface, surfaceOf } from "./clearance";
import { CUT, cut, isCutAway } from "./cut";
import { type Geometry, grouped, UNNAMED } from "./geometry";
import { KINDS } from "./kinds";
import type { Place } from "./scene";
import { fragmentShader, vertexShader } from "./shading";
import type { Hit } from "./view";

export const PALETTE = [0x54949c, 0xcd9e54, 0xbfd0ae, 0xb07a8c, 0x7e8e62, 0x6f7fa8];
const BARE = 0xe4dfd2;
const PICKED = 0xffb000;
/** Groups for facets that are picked, and for none. */
export const PICK_GROUP = 0xfffffffe;
/** Steps of the scale of distances, from nothing to the largest; groups count on from DISTANCE_GROUP. */
export const DISTANCES = [
  0xe9e4d6, 0xdad7c3, 0xc6c9ad, 0xaebb9b, 0x94ac90, 0x789c8b, 0x5c8a88, 0x427685, 0x2f5f7d, 0x24446b,
];
export const DISTANCE_GROUP = 0xfffffe00;
/** Bodies with more facets are drawn without the edges of every facet. */
const EDGES_UP_TO = 40_000;
/** Wide dashed lines cost a quad a segment; beyond this many they are drawn thin. */
const WIDE_UP_TO = 20_000;

/** Of bodies beside the one that is worked on. */
const BESIDE = 0xb9b4a3;
const THROUGH = 0.3;

/** Whether insides have a colour of their own, for everything that is drawn. */
export const insides = { value: 1 };

function material(key: number, tone: number, opacity: { value: number }, beside: boolean): ShaderMaterial {
  const plain = beside
    ? BESIDE
    : key === UNNAMED
      ? BARE
      : key === PICK_GROUP
        ? PICKED
        : (DISTANCES[key - DISTANCE_GROUP] ?? PALETTE[tone % PALETTE.length]);
  const hatch =
    !beside && (key === PICK_GROUP || (key < DISTANCE_GROUP && Math.floor(tone / PALETTE.length) % 2 === 1));
  return new ShaderMaterial({
    vertexShader,
    fragmentShader,
    side: DoubleSide,
    uniforms: { base: { value: new Color(plain) }, cut, hatch: { value: hatch ? 1 : 0 }, insides, opacity },
    polygonOffset: true,
    polygonOffsetFactor: 1,
    polygonOffsetUnits: 1,
  });
}

export class Drawing {
  readonly root = new Group();
  readonly surface: Mesh;
  private order: Uint32Array = new Uint32Array();
  private keys: number[] = [];
  private hidden: ReadonlySet<number> = new Set();
  private readonly opacity = { value: 1 };
  private edges: LineSegments | null = null;
  private bvh: Surface | null = null;

  constructor(
    readonly geometry: Geometry,
    private readonly beside = false,
    /** The number of each boundary's colour, where that is not its own. */
    private readonly tones: readonly number[] = [],
  ) {
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(geometry.points, 3));
    this.surface = new Mesh(shape);
    this.root.add(this.surface);
    this.colourBy(geometry.boundary);
    if (geometry.facets.length / 3 <= EDGES_UP_TO && !beside)
      this.edges = this.addThin(facetEdges(geometry.facets), 0x1c2b3a, 0.12);
    this.addThin(geometry.outlines, 0x1c2b3a, beside ? 0.4 : 0.75);
    if (!beside) this.addDefects(geometry);
    for (const { tag, words } of geometry.chunks) {
      const kind = KINDS.find((k) => k.tag === tag);
      if (kind) this.root.add(kind.draw(words, geometry));
    }
  }

  private addDefects(geometry: Geometry): void {
    this.addWide(geometry.open, 0x7a2e6e, true, 2.6);
    this.addWide(geometry.overshared, 0xa86a00, false, 4.2);
    this.addWide(geometry.overshared, 0xfbf9f3, false, 1.4);
    this.addWide(geometry.misdirected, 0x6f7fa8, true, 2);
  }

  /** Shows the facets as they are, or lets what is behind them be seen. */
  setThrough(through: boolean): void {
    this.opacity.value = through ? THROUGH : 1;
    for (const m of [this.surface.material].flat()) this.setBlending(m as ShaderMaterial);
  }

  private setBlending(m: ShaderMaterial): void {
    const through = this.opacity.value < 1;
    m.transparent = through;
    m.depthWrite = !through;
    m.needsUpdate = true;
  }

  /** Facets of these boundaries are not drawn. */
  hide(boundaries: ReadonlySet<number>): void {
    this.hidden = boundaries;
    [this.surface.material].flat().forEach((m, i) => (m.visible = !boundaries.has(this.keys[i])));
  }

  /** Whether points or splats are drawn. */
  hasPoints(): boolean {
    return this.geometry.chunks.some((c) => c.tag === "PNTS" || c.tag === "SPLT");
  }

  /** Shows members at full size, or their lines alone. */
  setFullSize(shown: boolean): void {
    for (const child of this.root.children) {
      if (!child.userData.isFullSize) continue;
      child.userData.unwanted = !shown;
      child.visible = shown;
    }
  }

  setEdges(shown: boolean): void {
    if (this.edges) this.edges.userData.unwanted = !shown;
    if (this.edges) this.edges.visible = shown;
  }

  /** Whether the facet drawn at `i` is hidden with its boundary. */
  isHidden(i: number): boolean {
    return this.hidden.has(this.geometry.boundary[this.order[i]]);
  }

  /** Facets of one key get one colour. */
  colourBy(group: Uint32Array): void {
    const { order, groups } = grouped(group);
    const source = this.geometry.facets;
    const index = new Uint32Array(source.length);
    for (let i = 0; i < order.length; i++) {
      const f = order[i] * 3;
      index[3 * i] = source[f];
      index[3 * i + 1] = source[f + 1];
      index[3 * i + 2] = source[f + 2];
    }
    this.order = order;
    this.bvh = null;
    const shape = this.surface.geometry;
    shape.setIndex(new BufferAttribute(index, 1));
    shape.clearGroups();
    groups.forEach((g, i) => shape.addGroup(g.start * 3, g.count * 3, i));
    this.keys = groups.map((g) => g.key);
    for (const old of [this.surface.material].flat()) old.dispose();
    const materials = groups.map((g) => material(g.key, this.tones[g.key] ?? g.key, this.opacity, this.beside));
    for (const m of materials) this.setBlending(m);
    this.surface.material = materials;
    this.hide(this.hidden);
  }

  /** The server's number of the facet drawn at `i`. */
  facet(i: number): number {
    return this.order[i];
  }

  /** The surface with the tree over its facets, in the numbers they came in. */
  tree(): Surface {
    this.bvh ??= surfaceOf(this.surface.geometry);
    return this.bvh;
  }

  /** The first facet along a ray that is drawn and not cut away. */
  hit(ray: Raycaster): { distance: number; hit: Omit<Hit, "own"> } | null {
    // The tree keeps its own order of facets, so that the drawn order stays as it is.
    this.tree();
    this.surface.raycast = acceleratedRaycast;
    const isDrawn = (h: Intersection) => !isCutAway(h.point.toArray()) && !this.isHidden(h.faceIndex ?? 0);
    const found = ray.intersectObject(this.surface, false).find(isDrawn);
    if (!found || found.faceIndex == null) return null;
    const facet = this.facet(found.faceIndex);
    const corner = (k: number): Place => {
      const p = this.geometry.facets[3 * facet + k] * 3;
      return new Vector3().fromArray(this.geometry.points, p).applyMatrix4(this.surface.matrixWorld).toArray() as Place;
    };
    const hit = {
      at: found.point.toArray() as Place,
      facet,
      corners: [corner(0), corner(1), corner(2)] as Hit["corners"],
    };
    return { distance: found.distance, hit };
  }

  private lines(segments: Uint32Array): Float32Array {
    const out = new Float32Array(segments.length * 3);
    for (let i = 0; i < segments.length; i++)
      out.set(this.geometry.points.subarray(segments[i] * 3, segments[i] * 3 + 3), i * 3);
    return out;
  }

  private addThin(segments: Uint32Array, colour: number, opacity: number): LineSegments | null {
    if (segments.length === 0) return null;
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(this.geometry.points, 3));
    shape.setIndex(new BufferAttribute(segments, 1));
    const look = clipped(new LineBasicMaterial({ color: colour, transparent: true, opacity }));
    const lines = new LineSegments(shape, look);
    this.root.add(lines);
    return lines;
  }

  private addWide(segments: Uint32Array, colour: number, dashed: boolean, width: number): void {
    if (segments.length === 0) return;
    if (segments.length / 2 > WIDE_UP_TO) {
      this.addThin(segments, colour, 1);
      return;
    }
    const shape = new LineSegmentsGeometry();
    shape.setPositions(this.lines(segments));
    const look = new LineMaterial({ color: colour, linewidth: width, dashed, dashSize: 5, gapSize: 3 });
    const wide = new LineSegments2(shape, look);
    if (dashed) wide.computeLineDistances();
    wide.userData.dashed = dashed;
    this.root.add(wide);
    if (dashed && colour === 0x7a2e6e) this.addDots(segments, colour);
  }

  /** Dots at the ends of open edges, so that they are told from other lines without colour. */
  private addDots(segments: Uint32Array, colour: number): void {
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(this.lines(segments), 3));
    this.root.add(new Points(shape, new PointsMaterial({ color: colour, size: 4, sizeAttenuation: false })));
  }

  /** Dashes keep their length on the screen. */
  setPixel(size: number): void {
    for (const child of this.root.children)
      if (child instanceof LineSegments2 && child.userData.dashed) {
        child.material.dashSize = 6 * size;
        child.material.gapSize = 4 * size;
      }
  }

  /** Shows or hides everything but the facets. Returns whether that changed anything. */
  showLines(shown: boolean): boolean {
    const others = this.root.children.filter((child) => child !== this.surface && !child.userData.unwanted);
    const lines = others.filter((child) => child.visible !== shown);
    for (const line of lines) line.visible = shown;
    return lines.length > 0;
  }

  centre(): Vector3 {
    const { min, max } = this.geometry;
    return new Vector3((min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2);
  }

  dispose(): void {
    this.root.traverse((o) => {
      const drawn = o as Partial<Mesh>;
      drawn.geometry?.dispose();
      for (const m of [drawn.material ?? []].flat()) m.dispose();
    });
  }
}

/** What the section cuts away with the facets. */
export function clipped<T extends Material>(look: T): T {
  look.onBeforeCompile = (shader) => {
    shader.uniforms.cut = cut;
    shader.vertexShader = shader.vertexShader
      .replace("void main() {", "varying vec3 vWorld;\nvoid main() {")
      .replace(
        "#include <project_vertex>",
        "#include <project_vertex>\nvWorld = (modelMatrix * vec4(position, 1.0)).xyz;",
      );
    shader.fragmentShader = shader.fragmentShader.replace(
      "void main() {",
      `${CUT}\nvarying vec3 vWorld;\nvoid main() {\nif (isCutAway(vWorld)) discard;`,
    );
  };
  return look;
}

function facetEdges(facets: Uint32Array): Uint32Array {
  const seen = new Set<number>();
  const out: number[] = [];
  for (let i = 0; i < facets.length; i += 3)
    for (let k = 0; k < 3; k++) {
      const a = facets[i + k];
      const b = facets[i + ((k + 1) % 3)];
      const key = Math.min(a, b) * 2 ** 26 + Math.max(a, b);
      if (!seen.has(key)) {
        seen.add(key);
        out.push(a, b);
      }
    }
  return new Uint32Array(out);
}
