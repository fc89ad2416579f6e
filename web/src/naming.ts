// Picking faces for a boundary: picks are places with an angle; the server says which facets they mean.
import { DISTANCE_GROUP, PICK_GROUP } from "./drawing";
import { shownIn } from "./lengths";
import { type Place, readScene, type Scene, short } from "./scene";
import type { View } from "./view";

type Pick = { grow: { at: Place; angle: number } } | Record<string, unknown>;

/** A rule that would catch a click as well. */
type Proposed = { said: string; pick: Pick };

export class Naming {
  private include: Pick[] = [];
  private exclude: Pick[] = [];
  private rings = 0;
  private inverted = false;
  /** Whether facets have other colours now than those of their boundaries. */
  private painted = false;
  /** How often was shown what is picked, and clicked: an answer that comes after the next one was asked for counts no more. */
  private shown = 0;
  private clicks = 0;

  constructor(private readonly view: View) {}

  private angle(): number {
    const typed = Number(document.querySelector<HTMLInputElement>("#angle")?.value);
    return Number.isFinite(typed) ? typed : 20;
  }

  /** A click: alone it begins anew, with Shift it adds, with Alt it takes away. */
  async click(at: Place, add: boolean, remove: boolean): Promise<void> {
    await this.add({ grow: { at, angle: this.angle() } }, add, remove);
    if (!remove) await this.propose(at);
    // What was picked is named next: its name can be typed at once.
    if (!add && !remove)
      document.querySelector<HTMLElement>("#naming input[name=name]")?.focus({ preventScroll: true });
  }

  /** A pick of any kind: alone it begins anew. */
  async add(pick: Pick, add: boolean, remove: boolean): Promise<void> {
    if (remove) this.exclude.push(pick);
    else if (add) this.include.push(pick);
    else this.begin([pick]);
    await this.show();
  }

  private begin(include: Pick[]): void {
    [this.include, this.exclude, this.rings, this.inverted] = [include, [], 0, false];
  }

  /** What is picked larger or smaller by a ring of facets, or everything but it. */
  async change(how: string): Promise<void> {
    if (this.include.length === 0) return;
    if (how === "invert") this.inverted = !this.inverted;
    else this.rings += (how === "grow") !== this.inverted ? 1 : -1;
    await this.show();
  }

  /** Buttons for the rules that would catch the click too, with what else they would take. */
  private async propose(at: Place): Promise<void> {
    const place = document.querySelector("#alike");
    const scene = readScene();
    const click = ++this.clicks;
    if (!place || !scene) return;
    const [x, y, z] = at;
    const answer = await fetch(`/revisions/${scene.revision}/rules?x=${x}&y=${y}&z=${z}&angle=${this.angle()}`);
    if (!answer.ok) return;
    const proposed = (await answer.json()) as Proposed[];
    if (click !== this.clicks) return;
    const buttons = proposed.map(({ said, pick }) => {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "slim";
      button.textContent = said;
      button.addEventListener("click", () => {
        this.include = [...this.include.slice(0, -1), pick];
        void this.show();
      });
      return button;
    });
    place.replaceChildren(...buttons);
  }

  /** Picks were for another state of the body, which is drawn anew. */
  forget(): void {
    this.painted = false;
    this.shown++;
    this.clicks++;
    this.begin([]);
  }

  clear(): void {
    this.begin([]);
    this.clicks++;
    document.querySelector("#alike")?.replaceChildren();
    void this.show();
  }

  /** Colours what is picked and says how much it is. Also called when the form was drawn anew. */
  async show(): Promise<void> {
    const field = document.querySelector<HTMLInputElement>("#pick");
    const button = document.querySelector("#name-it");
    for (const b of document.querySelectorAll<HTMLButtonElement>("[data-pick-change]"))
      b.disabled = this.include.length === 0;
    const drawing = this.view.drawing;
    const scene = readScene();
    if (!drawing || !scene) return;
    const turn = ++this.shown;
    const tints = (await this.distances(scene.revision)) ?? (await this.tints(scene.revision));
    if (turn !== this.shown) return;
    const group = tints ?? drawing.geometry.boundary.slice();
    const { include, exclude, rings, inverted } = this;
    const selection = JSON.stringify({ include, exclude, rings, inverted });
    const value = this.include.length > 0 ? selection : "";
    if (field) field.value = value;
    for (const copy of document.querySelectorAll<HTMLInputElement>(".pick-copy")) copy.value = value;
    if (button) button.textContent = this.include.length > 0 ? "Name the picked" : "Name the rest";
    const picked = include.length > 0 ? await this.pickedOf(scene, selection) : null;
    if (turn !== this.shown) return;
    if (picked) this.paint(scene, picked, group);
    const paint = this.include.length > 0 || tints !== null;
    if (paint || this.painted) this.view.colourBy(group);
    this.painted = paint;
  }

  /** The facets that the server says are meant, and their area. */
  private async pickedOf(scene: Scene, selection: string): Promise<{ facets: Uint32Array; area: number } | null> {
    const answer = await fetch(`/revisions/${scene.revision}/selection`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: selection,
    });
    if (!answer.ok) return null;
    return { facets: new Uint32Array(await answer.arrayBuffer()), area: Number(answer.headers.get("X-Area")) };
  }

  private paint(scene: Scene, { facets, area }: { facets: Uint32Array; area: number }, group: Uint32Array): void {
    for (const f of facets) group[f] = PICK_GROUP;
    const { symbol, factor } = shownIn(scene.unit);
    const note = document.querySelector("#picked");
    if (note)
      note.textContent = `Picked: ${short(facets.length)} ${facets.length === 1 ? "facet" : "facets"}, ${short(area * factor ** 2)} ${symbol}². Shift adds, Alt takes away.`;
  }

  /** The distance of each facet from another state, as steps of the scale, while “Deviation” compares them. */
  private async distances(revision: number): Promise<Uint32Array | null> {
    const [of, from] = document.querySelector<HTMLElement>("[data-moved]")?.dataset.moved?.split(",").map(Number) ?? [];
    if (of !== revision) return null;
    const answer = await fetch(`/revisions/${of}/moved/${from}/facets`);
    if (!answer.ok) return null;
    return Uint32Array.from(new Uint8Array(await answer.arrayBuffer()), (step) => DISTANCE_GROUP + step);
  }

  /** The tint of each facet's region while “Show regions” is ticked. */
  private async tints(revision: number): Promise<Uint32Array | null> {
    const count = document.querySelector("#regions-count");
    const wanted = document.querySelector<HTMLInputElement>("#regions")?.checked === true;
    if (!wanted) {
      if (count) count.textContent = "";
      return null;
    }
    const answer = await fetch(`/revisions/${revision}/regions?angle=${this.angle()}`);
    if (!answer.ok) return null;
    const regions = Number(answer.headers.get("X-Regions"));
    if (count) count.textContent = `${short(regions)} ${regions === 1 ? "region" : "regions"}`;
    return Uint32Array.from(new Uint8Array(await answer.arrayBuffer()));
  }
}
