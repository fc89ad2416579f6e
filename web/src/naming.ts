// Picking faces for a boundary: picks are places with an angle; the server says which facets they mean.
import { PICK_GROUP } from "./drawing";
import { type Place, readScene, short } from "./scene";
import type { View } from "./view";

type Pick = { grow: { at: Place; angle: number } };

export class Naming {
  private include: Pick[] = [];
  private exclude: Pick[] = [];

  constructor(private readonly view: View) {}

  private angle(): number {
    const typed = Number(document.querySelector<HTMLInputElement>("#angle")?.value);
    return Number.isFinite(typed) ? typed : 20;
  }

  /** A click: alone it begins anew, with Shift it adds, with Alt it takes away. */
  async click(at: Place, add: boolean, remove: boolean): Promise<void> {
    const pick: Pick = { grow: { at, angle: this.angle() } };
    if (remove) this.exclude.push(pick);
    else if (add) this.include.push(pick);
    else [this.include, this.exclude] = [[pick], []];
    await this.show();
  }

  /** Picks were for another state of the body. */
  forget(): void {
    [this.include, this.exclude] = [[], []];
  }

  clear(): void {
    this.forget();
    void this.show();
  }

  /** Colours what is picked and says how much it is. Also called when the form was drawn anew. */
  async show(): Promise<void> {
    const field = document.querySelector<HTMLInputElement>("#pick");
    const note = document.querySelector("#picked");
    const button = document.querySelector("#name-it");
    const drawing = this.view.drawing;
    const scene = readScene();
    if (!drawing || !scene) return;
    if (this.include.length === 0) {
      if (field) field.value = "";
      if (button) button.textContent = "Name the rest";
      this.view.colourBy(drawing.geometry.boundary);
      return;
    }
    const selection = JSON.stringify({ include: this.include, exclude: this.exclude });
    const answer = await fetch(`/revisions/${scene.revision}/selection`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: selection,
    });
    if (!answer.ok) return;
    const facets = new Uint32Array(await answer.arrayBuffer());
    const group = drawing.geometry.boundary.slice();
    for (const f of facets) group[f] = PICK_GROUP;
    this.view.colourBy(group);
    if (field) field.value = selection;
    if (button) button.textContent = "Name the picked";
    const area = Number(answer.headers.get("X-Area"));
    if (note)
      note.textContent = `Picked: ${short(facets.length)} facets, ${short(area)} ${scene.unit}². Shift adds, Alt takes away.`;
  }
}
