// What a section cuts through, filled: where a plane is inside a closed body.
import {
  AlwaysStencilFunc,
  BackSide,
  DecrementWrapStencilOp,
  FrontSide,
  Group,
  IncrementWrapStencilOp,
  Mesh,
  NotEqualStencilFunc,
  PlaneGeometry,
  ShaderMaterial,
  Vector3,
  Vector4,
  ZeroStencilOp,
} from "three";
import { CUT, cut, cutting } from "./cut";
import type { Drawing } from "./drawing";

/** Bodies of more facets are cut open without: each plane draws them twice more. */
const MOST = 300_000;

const vertexShader = `
  varying vec3 vWorld;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    vWorld = world.xyz;
    gl_Position = projectionMatrix * viewMatrix * world;
  }`;

const COUNTED = `${CUT}
  varying vec3 vWorld;
  void main() { if (isCutAway(vWorld)) discard; gl_FragColor = vec4(1.0); }`;

const FILLED = `${CUT}
  varying vec3 vWorld;
  void main() {
    if (isCutAway(vWorld)) discard;
    float stripe = step(0.82, fract((gl_FragCoord.x - gl_FragCoord.y) / 8.0));
    gl_FragColor = vec4(mix(vec3(0.965, 0.935, 0.86), vec3(0.11, 0.17, 0.23), stripe), 1.0);
  }`;

const nothing = () => new Vector4(0, 0, 0, 1);

/** Counts how often a plane's side of the body is entered and left. */
function counting(plane: number, side: typeof FrontSide | typeof BackSide): ShaderMaterial {
  const op = side === BackSide ? IncrementWrapStencilOp : DecrementWrapStencilOp;
  return new ShaderMaterial({
    vertexShader,
    fragmentShader: COUNTED,
    side,
    uniforms: { cut: { value: [cut.value[plane], nothing(), nothing(), nothing()] } },
    colorWrite: false,
    depthWrite: false,
    depthTest: false,
    stencilWrite: true,
    stencilFunc: AlwaysStencilFunc,
    stencilFail: op,
    stencilZFail: op,
    stencilZPass: op,
  });
}

/** Fills where the count is not even. Counts as it clears: the next plane begins with none. */
function filling(plane: number): ShaderMaterial {
  const others = cut.value.map((one, k) => (k === plane ? nothing() : one));
  return new ShaderMaterial({
    vertexShader,
    fragmentShader: FILLED,
    side: 2,
    uniforms: { cut: { value: others } },
    stencilWrite: true,
    stencilRef: 0,
    stencilFunc: NotEqualStencilFunc,
    stencilFail: ZeroStencilOp,
    stencilZFail: ZeroStencilOp,
    stencilZPass: ZeroStencilOp,
  });
}

export class Caps {
  readonly root = new Group();
  private of: Drawing | null = null;
  private planes = "";

  /** Fits the caps to a body and to the planes; draws none where the body is open or there is no plane. */
  fit(drawing: Drawing | null): void {
    const g = drawing?.geometry;
    const isClosed = g && g.facets.length > 0 && g.open.length + g.overshared.length === 0;
    const planes = isClosed && g.facets.length / 3 <= MOST ? cutting() : [];
    if (drawing === this.of && planes.join() === this.planes) return this.place(planes);
    this.clear();
    [this.of, this.planes] = [drawing, planes.join()];
    if (!drawing || !g) return;
    for (const plane of planes) {
      for (const side of [BackSide, FrontSide] as const) {
        const count = new Mesh(drawing.surface.geometry, counting(plane, side));
        count.renderOrder = 10 * plane + 1;
        this.root.add(count);
      }
      const size = 2.2 * Math.hypot(...[0, 1, 2].map((k) => g.max[k] - g.min[k]));
      const fill = new Mesh(new PlaneGeometry(size, size), filling(plane));
      fill.renderOrder = 10 * plane + 2;
      fill.userData.plane = plane;
      this.root.add(fill);
    }
    this.place(planes);
  }

  /** The fillings lie in their planes, about the middle of the body. */
  private place(planes: number[]): void {
    const g = this.of?.geometry;
    if (!g) return;
    for (const fill of this.root.children) {
      const plane = fill.userData.plane as number | undefined;
      if (plane === undefined || !planes.includes(plane)) continue;
      const { x, y, z, w } = cut.value[plane];
      const normal = new Vector3(x, y, z);
      const at = new Vector3(...[0, 1, 2].map((k) => (g.min[k] + g.max[k]) / 2));
      fill.position.copy(at.addScaledVector(normal, w - normal.dot(at)));
      fill.lookAt(at.clone().add(normal));
    }
  }

  private clear(): void {
    for (const child of this.root.children as Mesh[]) {
      (child.material as ShaderMaterial).dispose();
      if (child.userData.plane !== undefined) child.geometry.dispose();
    }
    this.root.clear();
  }
}
