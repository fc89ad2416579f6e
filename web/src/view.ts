// The view: camera, drawing on demand, a reduced body while the camera moves, comparing, sections, picking.
import { Box3, type Group, type LineSegments, Matrix4, Raycaster, Scene, Vector2, Vector3, WebGLRenderer } from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { Eye } from "./camera";
import { Caps } from "./caps";
import { type Clearance, clearance } from "./clearance";
import { cut, directionOf, setCut } from "./cut";
import { Drawing, insides } from "./drawing";
import { fetchGeometry, type Geometry } from "./geometry";
import { dispose, drawn, type Highlight } from "./highlight";
import { full } from "./kinds/solids";
import type { Place, Scene as Facts } from "./scene";

/** Facets up to which the whole body is drawn while the camera moves. */
const MOVING_UP_TO = 50_000;
/** So many words of points or splats. */
const MOVING_WORDS = 500_000;
/** Milliseconds after the last light picture until the whole body is drawn again. */
const REST = 220;

export const STANDARD: Record<string, Place> = {
  corner: [0.55, -0.75, 0.5],
  front: [1, 0, 0],
  back: [-1, 0, 0],
  left: [0, 1, 0],
  right: [0, -1, 0],
  top: [0, 0, 1],
  bottom: [0, 0, -1],
};

/** A renderer with antialiasing, unless the processor draws, where that would double the cost of a frame. */
function makeRenderer(): WebGLRenderer {
  // Where the processor draws, making a context takes long: the one that was asked is kept.
  const canvas = document.createElement("canvas");
  const context = canvas.getContext("webgl2", { alpha: true, antialias: false, stencil: true });
  const info = context?.getExtension("WEBGL_debug_renderer_info");
  const name = info ? String(context?.getParameter(info.UNMASKED_RENDERER_WEBGL)) : "";
  if (context && /swiftshader|llvmpipe|software/i.test(name)) return new WebGLRenderer({ canvas, context });
  context?.getExtension("WEBGL_lose_context")?.loseContext();
  return new WebGLRenderer({ antialias: true, alpha: true, stencil: true });
}

/** How a body is shown. */
export type Look = "shown" | "through" | "hidden";

/** What is under a place of the screen. */
export interface Hit {
  at: Place;
  /** The server's number of the facet. */
  facet: number;
  /** The corners of that facet. */
  corners: [Place, Place, Place];
  /** Whether it is of the body that is worked on, not of one beside it. */
  own: boolean;
}

/** Whose surfaces a place is looked for on. */
export type Whose = "own" | "beside" | "any";

/** A clearance, and the state of the body that it is to. */
export type ClearanceTo = Clearance & { revision: number; name: string };

export class View {
  readonly camera = new Eye();
  readonly controls: OrbitControls;
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly before = new Scene();
  private now: Drawing | null = null;
  private moving: Drawing | null = null;
  private received: Drawing | null = null;
  private shown: { revision: number; received: number } | null = null;
  private showing: Promise<void> = Promise.resolve();
  /** The state that `now` is of; `shown` may still be on its way. */
  private revision = 0;
  /** Other bodies, by the state that is drawn. */
  private readonly beside = new Map<number, Drawing>();
  private own: Look = "shown";
  private hidden: ReadonlySet<number> = new Set();
  edges = true;
  private ways: LineSegments | null = null;
  private readonly caps = new Caps();
  /** What is pointed at or spoken of, by who says so. */
  private readonly highlights = new Map<string, Group>();
  private compared: number | null = null;
  /** Whether the camera moves: from its first change until it rests. */
  private turning = false;
  /** Whether the pointer holds the camera: it rests only when let go. */
  private held = false;
  private pending = false;
  private resting = 0;
  /** Whether the body is drawn elsewhere than it is. */
  private carried = false;

  constructor(
    readonly frame: HTMLElement,
    private readonly drawn: () => void,
  ) {
    this.renderer = makeRenderer();
    // Asking whether shaders compiled waits until they have; they are the same for everybody.
    this.renderer.debug.checkShaderErrors = false;
    this.renderer.setClearColor(0, 0);
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.renderer.autoClear = false;
    this.renderer.domElement.tabIndex = 0;
    this.renderer.domElement.setAttribute("aria-label", "The body; drag to turn, wheel to zoom");
    frame.append(this.renderer.domElement);
    this.camera.up.set(0, 0, 1);
    this.scene.add(this.caps.root);
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.zoomToCursor = true;
    this.controls.enableDamping = false;
    this.controls.addEventListener("change", () => {
      this.turning = true;
      this.redraw();
    });
    this.controls.addEventListener("start", () => (this.held = true));
    this.controls.addEventListener("end", () => {
      this.held = false;
      if (this.turning) this.redraw();
    });
    new ResizeObserver(() => this.resize()).observe(frame);
    this.resize();
  }

  get canvas(): HTMLCanvasElement {
    return this.renderer.domElement;
  }

  get drawing(): Drawing | null {
    return this.now;
  }

  /** Draws the state that the page is at; whoever asks again meanwhile waits for the same. */
  show(facts: Facts): Promise<void> {
    if (this.shown?.revision !== facts.revision) this.showing = this.bring(facts);
    return this.showing;
  }

  private async bring(facts: Facts): Promise<void> {
    const old = this.now?.geometry;
    this.shown = { revision: facts.revision, received: facts.received };
    const geometry = await fetchGeometry(facts.revision, "view");
    if (this.shown.revision !== facts.revision) return;
    const heavy =
      geometry.facets.length / 3 > MOVING_UP_TO || geometry.chunks.some((c) => c.words.length > MOVING_WORDS);
    const small = heavy ? await fetchGeometry(facts.revision, "moving") : null;
    this.replace(
      geometry,
      small,
      facts.boundaries.map((b) => b.colour),
    );
    this.revision = facts.revision;
    this.received?.dispose();
    this.received = null;
    this.before.clear();
    if (!old || this.hasMoved(geometry, old)) this.look("corner");
    if (this.compared !== null) await this.setCompared(this.compared, facts);
    this.redraw();
  }

  private replace(geometry: Geometry, small: Geometry | null, tones: number[]): void {
    for (const old of [this.now, this.moving]) {
      if (old) this.scene.remove(old.root);
      old?.dispose();
    }
    for (const who of this.highlights.keys()) this.highlight(who, null);
    this.caps.fit(null);
    this.carried = false;
    this.now = new Drawing(geometry, false, tones);
    // The facets first: each kind of line costs a shader, and the picture need not wait for them.
    this.now.showLines(false);
    this.moving = small ? new Drawing(small, false, tones) : null;
    this.scene.add(this.now.root);
    this.setOwn(this.own);
    this.setEdges(this.edges);
    this.hideBoundaries(this.hidden);
    if (this.moving) this.scene.add(this.moving.root);
    this.setFullSize(full.shown);
  }

  /** A unit, axes or a place that was set can put the body far from where the camera looks. */
  private hasMoved(g: Geometry, old: Geometry): boolean {
    const apart = (a: Place, b: Place) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
    return apart(g.min, old.min) + apart(g.max, old.max) > 0.02 * apart(g.min, g.max);
  }

  /** The box of what is shown. */
  private box(): Box3 {
    const box = new Box3();
    const all = [this.own === "hidden" ? null : this.now, ...this.beside.values()];
    for (const d of all) if (d) box.union(new Box3(new Vector3(...d.geometry.min), new Vector3(...d.geometry.max)));
    const g = this.now?.geometry;
    return box.isEmpty() && g ? new Box3(new Vector3(...g.min), new Vector3(...g.max)) : box;
  }

  private extent(): number {
    return this.now ? this.box().getSize(new Vector3()).length() : 1;
  }

  /** Length of one screen pixel in the body's unit. */
  pixel(): number {
    return (this.camera.top - this.camera.bottom) / this.camera.zoom / Math.max(1, this.frame.clientHeight);
  }

  /** Turns the eye around the body: `around` the axis that points up, `over` it, in radians. */
  turnBy(around: number, over: number): void {
    const arm = this.camera.position.clone().sub(this.controls.target);
    const up = new Vector3(0, 0, 1);
    arm.applyAxisAngle(up, around);
    const side = new Vector3().crossVectors(up, arm);
    const tilt = arm.angleTo(up) - over;
    if (side.lengthSq() > 0 && tilt > 0.02 && tilt < Math.PI - 0.02) arm.applyAxisAngle(side.normalize(), -over);
    this.camera.position.copy(this.controls.target).add(arm);
    this.controls.update();
    this.redraw();
  }

  look(name: string): void {
    const from = STANDARD[name];
    if (!from || !this.now) return;
    const centre = this.box().getCenter(new Vector3());
    const reach = this.extent() || 1;
    // Straight from above or below, up on the screen must be another axis than z.
    const direction = new Vector3(...from).normalize();
    if (Math.abs(direction.z) > 0.999) direction.set(-1e-4, 0, direction.z).normalize();
    this.camera.position.copy(centre).addScaledVector(direction, reach * 2);
    this.camera.setDistance(reach * 2);
    this.camera.zoom = 1;
    this.controls.target.copy(centre);
    this.camera.lookAt(centre);
    this.camera.updateMatrixWorld();
    this.fitZoom();
    this.controls.update();
    this.redraw();
  }

  private fitZoom(): void {
    const size = this.box().applyMatrix4(this.camera.matrixWorldInverse).getSize(new Vector3());
    const aspect = this.frame.clientWidth / Math.max(1, this.frame.clientHeight);
    const half = Math.max(size.y, size.x / aspect, 1e-9) * 0.66;
    this.setFrustum(half);
  }

  private setFrustum(half: number): void {
    const aspect = this.frame.clientWidth / Math.max(1, this.frame.clientHeight);
    Object.assign(this.camera, { top: half, bottom: -half, left: -half * aspect, right: half * aspect });
    this.camera.updateProjectionMatrix();
  }

  /** Moves so that a place of this radius fills a good part of the view. */
  flyTo(at: Place, radius: number, side?: Place): void {
    const target = new Vector3(...at);
    const from = this.controls.target.clone();
    const reach = this.camera.position.distanceTo(from);
    const gaze = this.camera.position.clone().sub(from).normalize();
    const end = gaze.clone();
    // A place on the far side is looked at from its own side, a little from above.
    if (side && gaze.dot(new Vector3(...side)) < 0.3)
      end
        .set(...side)
        .add(new Vector3(0.15, -0.1, 0.3))
        .normalize();
    const zoom = this.camera.zoom;
    const half = Math.max(radius * 1.8, this.extent() / 40);
    const wanted = Math.min(this.camera.top / half, 60);
    const begun = performance.now();
    const tick = () => {
      const t = Math.min(1, (performance.now() - begun) / 320);
      const ease = t * t * (3 - 2 * t);
      this.controls.target.lerpVectors(from, target, ease);
      const turned = gaze.clone().lerp(end, ease);
      if (turned.length() < 0.05) turned.copy(end);
      this.camera.position.copy(this.controls.target).addScaledVector(turned.normalize(), reach);
      this.camera.zoom = zoom * (wanted / zoom) ** ease;
      this.camera.updateProjectionMatrix();
      this.controls.update();
      this.turning = true;
      this.redraw();
      if (t < 1) requestAnimationFrame(tick);
    };
    tick();
  }

  private resize(): void {
    const { clientWidth: width, clientHeight: height } = this.frame;
    const { width: before, height: above } = this.renderer.getSize(new Vector2());
    if (width === 0 || height === 0 || (width === before && height === above)) return;
    this.renderer.setSize(width, height);
    this.setFrustum(this.camera.top);
    this.redraw();
  }

  redraw(): void {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.draw();
    });
  }

  /** Draws the whole body again, unless the camera is held. */
  private rest(): void {
    if (this.held) return;
    this.turning = false;
    this.redraw();
  }

  private draw(): void {
    if (!this.now) return;
    const busy = this.moving !== null && this.turning;
    this.now.root.visible = !busy && this.own !== "hidden";
    if (this.moving) this.moving.root.visible = busy && this.own !== "hidden";
    this.caps.fit(busy || this.carried || this.own !== "shown" ? null : this.now);
    if (busy) {
      // Counted from when the light picture was drawn, not from the move: after a heavy picture that took longer than this, the
      // next one would be heavy again, and so on.
      clearTimeout(this.resting);
      this.resting = window.setTimeout(() => this.rest(), REST);
    }
    for (const d of [this.now, this.received]) d?.setPixel(this.pixel());
    const { clientWidth: width, clientHeight: height } = this.frame;
    this.renderer.setScissorTest(false);
    this.renderer.clear();
    if (this.compared !== null && this.received) {
      const x = Math.round(width * this.compared);
      this.renderer.setScissorTest(true);
      this.renderer.setScissor(0, 0, x, height);
      this.renderer.render(this.before, this.camera);
      this.renderer.setScissor(x, 0, width - x, height);
    }
    this.renderer.render(this.scene, this.camera);
    this.tell(busy);
    this.drawn();
    if (this.now.showLines(true)) this.redraw();
  }

  /** What was drawn, for whoever watches the page: tests, and the measure of the first picture. */
  private tell(busy: boolean): void {
    const drawing = busy ? this.moving : this.now;
    if (!drawing) return;
    if (this.frame.dataset.drawn === undefined) {
      performance.mark("view drawn");
      document.querySelector("#first-picture")?.remove();
    }
    this.frame.dataset.drawn = String(this.revision);
    this.frame.dataset.facets = String(drawing.geometry.facets.length / 3);
  }

  /** Shows the body as received left of a part of the view's width; `null` for only what is now. */
  async setCompared(part: number | null, facts: Facts): Promise<void> {
    this.compared = part;
    if (part !== null && !this.received) {
      const drawing = new Drawing(await fetchGeometry(facts.received, "view"));
      const { scale, rotation: r, moved: m } = facts.placement;
      const turn = new Matrix4().set(
        r[0][0], r[0][1], r[0][2], m[0],
        r[1][0], r[1][1], r[1][2], m[1],
        r[2][0], r[2][1], r[2][2], m[2],
        0, 0, 0, 1,
      ); // prettier-ignore
      drawing.root.applyMatrix4(turn.multiply(new Matrix4().makeScale(scale, scale, scale)));
      this.received = drawing;
      this.before.add(drawing.root);
    }
    this.redraw();
  }

  /** From where to where the body's box reaches along the direction of a section plane. */
  reach(plane: number): [number, number] {
    const g = this.now?.geometry;
    if (!g) return [0, 1];
    const d = directionOf(plane);
    const ends = [0, 1, 2].map((k) => [d[k] * g.min[k], d[k] * g.max[k]]);
    const sum = (pick: (...x: number[]) => number) => ends.reduce((all, pair) => all + pick(...pair), 0);
    return [sum(Math.min), sum(Math.max)];
  }

  /** Cuts away everything beyond a part of the box along a plane's direction, or all before it; `null` cuts nothing there. */
  setSection(plane: number, part: number | null, before = false): void {
    const [from, to] = this.reach(plane);
    setCut(plane, part === null || !this.now ? null : from + (to - from) * part, before);
    this.redraw();
  }

  setPerspective(on: boolean): void {
    this.camera.setPerspective(on);
    this.redraw();
  }

  /** Draws something over the body for somebody, in place of what they had drawn before. */
  highlight(who: string, what: Highlight | null, of = this.now?.geometry): void {
    const old = this.highlights.get(who);
    if (old) {
      this.scene.remove(old);
      dispose(old);
      this.highlights.delete(who);
    }
    const root = what && of ? drawn(of, what) : null;
    if (root) {
      this.highlights.set(who, root);
      this.scene.add(root);
    }
    this.frame.dataset.highlights = [...this.highlights.keys()].join(" ");
    if (old || root) this.redraw();
  }

  /** The place of the surface under a point of the screen; with `everywhere` that of any body that is shown. */
  pick(x: number, y: number, everywhere = false): Hit | null {
    const frame = this.canvas.getBoundingClientRect();
    return this.pickAt([x - frame.left, y - frame.top], everywhere ? "any" : "own");
  }

  /** Draws the body where a motion would bring it; `null`: where it is. */
  carry(by: Matrix4 | null): void {
    this.carried = by !== null;
    for (const root of [this.now?.root, this.moving?.root]) {
      if (!root) continue;
      root.matrixAutoUpdate = false;
      root.matrix.copy(by ?? new Matrix4());
      root.updateMatrixWorld(true);
    }
    this.redraw();
  }

  /** How far the body, drawn `by` a motion, is from the nearest of those beside it; nothing if one side has no surface. */
  clearance(by: Matrix4): ClearanceTo | null {
    const own = this.now?.geometry.facets.length ? this.now.tree() : null;
    const beside = [...this.beside].filter(([, d]) => d.geometry.facets.length > 0);
    if (!own) return null;
    const all = beside.map(([revision, d]) => ({ revision, name: d.root.name, ...clearance(own, by, d.tree()) }));
    return all.reduce<ClearanceTo | null>((a, b) => (a && a.distance <= b.distance ? a : b), null);
  }

  /** Facets of this body and of those beside it. */
  facetsShown(): number {
    const all = [this.now, ...this.beside.values()];
    return all.reduce((sum, d) => sum + (d ? d.geometry.facets.length / 3 : 0), 0);
  }

  /** A place of the frame, in its pixels, as a place in the plane through the middle of what is looked at. */
  unproject([x, y]: [number, number]): Place {
    const { clientWidth: width, clientHeight: height } = this.frame;
    return new Vector3((x / width) * 2 - 1, 1 - (y / height) * 2, 0).unproject(this.camera).toArray() as Place;
  }

  /** The direction in which the eye looks. */
  gaze(): Place {
    return this.camera.getWorldDirection(new Vector3()).toArray() as Place;
  }

  /** Takes away other bodies whose states are not listed. */
  keepBeside(revisions: number[]): void {
    for (const [revision, drawing] of this.beside) {
      if (revisions.includes(revision)) continue;
      this.scene.remove(drawing.root);
      drawing.dispose();
      this.beside.delete(revision);
    }
    this.tellBeside();
  }

  /** Shows another body that is drawn already; says whether it is. */
  lookBeside(revision: number, look: Look): boolean {
    const drawing = this.beside.get(revision);
    drawing?.setThrough(look === "through");
    this.redraw();
    return drawing !== undefined;
  }

  addBeside(revision: number, name: string, geometry: Geometry, look: Look): void {
    if (this.beside.has(revision)) return;
    const drawing = new Drawing(geometry, true);
    drawing.root.name = name;
    drawing.setThrough(look === "through");
    this.beside.set(revision, drawing);
    this.scene.add(drawing.root);
    this.tellBeside();
  }

  /** For whoever watches the page. */
  private tellBeside(): void {
    this.frame.dataset.beside = [...this.beside.keys()].join(" ");
    this.redraw();
  }

  /** How the body itself is shown. */
  setOwn(look: Look): void {
    this.own = look;
    for (const d of [this.now, this.moving]) d?.setThrough(look === "through" || this.ways !== null);
    this.redraw();
  }

  /** Draws lines over the body, or takes them away; the body lets them be seen. */
  setWays(lines: LineSegments | null): void {
    if (this.ways) {
      this.scene.remove(this.ways);
      this.ways.geometry.dispose();
    }
    this.ways = lines;
    if (lines) this.scene.add(lines);
    this.setFullSize(full.shown);
    this.frame.dataset.waysDrawn = lines ? String(lines.geometry.getAttribute("position").count / 2) : "";
    this.setOwn(this.own);
  }

  setEdges(shown: boolean): void {
    this.edges = shown;
    this.now?.setEdges(shown);
    this.redraw();
  }

  /** Whether members are drawn at full size, where there are any. */
  get fullSize(): boolean {
    return full.shown;
  }

  setFullSize(shown: boolean): void {
    full.shown = shown;
    // What is drawn along members would lie within them.
    for (const d of [this.now, this.moving, this.received, ...this.beside.values()])
      d?.setFullSize(shown && this.ways === null);
    this.redraw();
  }

  get insides(): boolean {
    return insides.value > 0;
  }

  /** Whether the inside of facets has a colour of its own. */
  setInsides(own: boolean): void {
    insides.value = own ? 1 : 0;
    this.redraw();
  }

  hideBoundaries(hidden: ReadonlySet<number>): void {
    this.hidden = hidden;
    for (const d of [this.now, this.moving]) d?.hide(hidden);
    this.redraw();
  }

  /** What the view shows as a PNG of a size, on a colour or on nothing; `null` where the browser cannot. */
  async picture(width: number, height: number, paper: number | null): Promise<Blob | null> {
    const { clientWidth, clientHeight } = this.frame;
    const ratio = this.renderer.getPixelRatio();
    const half = this.camera.top;
    const wide = half * (clientWidth / Math.max(1, clientHeight));
    try {
      this.renderer.setPixelRatio(1);
      this.renderer.setSize(width, height, false);
      // All that the frame shows, and more along one side where the picture is of another shape.
      const tall = Math.max(half, wide / (width / height));
      Object.assign(this.camera, {
        top: tall,
        bottom: -tall,
        left: (-tall * width) / height,
        right: (tall * width) / height,
      });
      this.camera.updateProjectionMatrix();
      this.renderer.setClearColor(paper ?? 0, paper === null ? 0 : 1);
      this.draw();
      return await new Promise((done) => this.canvas.toBlob(done, "image/png"));
    } finally {
      this.renderer.setClearColor(0, 0);
      this.renderer.setPixelRatio(ratio);
      this.renderer.setSize(clientWidth, clientHeight);
      this.setFrustum(half);
      this.redraw();
    }
  }

  /** What is looked at from where, and what is cut away, in one word. */
  stand(): string {
    const { camera, frame } = this;
    const cuts = cut.value.flatMap((plane) => plane.toArray());
    const all = [...camera.matrixWorld.elements, camera.zoom, camera.top, +camera.isInPerspective, ...cuts];
    return `${frame.clientWidth} ${frame.clientHeight} ${all.map((x) => x.toPrecision(6)).join(" ")}`;
  }

  /** The ray from the eye through a place of the frame, in its pixels. */
  ray([x, y]: [number, number]): Raycaster {
    const ray = new Raycaster();
    this.camera.aim(ray, (x / this.frame.clientWidth) * 2 - 1, 1 - (y / this.frame.clientHeight) * 2);
    return ray;
  }

  /** The place of the surface under a place of the frame, in its pixels; nothing outside of it. */
  pickAt([x, y]: [number, number], whose: Whose = "own"): Hit | null {
    const { clientWidth: width, clientHeight: height } = this.frame;
    if (!this.now || x < 0 || y < 0 || x > width || y > height) return null;
    const ray = this.ray([x, y]);
    const own = this.own === "hidden" || whose === "beside" ? null : this.now.hit(ray);
    const hits = whose === "own" ? [] : [...this.beside.values()].map((d) => d.hit(ray));
    const nearest = [own, ...hits].filter((h) => h !== null).sort((a, b) => a.distance - b.distance)[0];
    return nearest ? { ...nearest.hit, own: nearest === own } : null;
  }

  colourBy(group: Uint32Array): void {
    this.now?.colourBy(group);
    this.redraw();
  }

  /** Where a place of the body is on the screen, in pixels of the frame. */
  screen(at: Place): [number, number] {
    const p = new Vector3(...at).project(this.camera);
    return [((p.x + 1) / 2) * this.frame.clientWidth, ((1 - p.y) / 2) * this.frame.clientHeight];
  }
}
