// Pairs of points: places of this body, and where on other bodies they belong.
import type { Overlay } from "../overlay";
import type { Place } from "../scene";
import type { View } from "../view";

/** So many pairs tell a place in space. */
export const FEWEST = 3;

export class Pairs {
  private readonly from: Place[] = [];
  private readonly to: Place[] = [];

  /** Takes a place; says what is to be clicked instead if it is of the wrong body. */
  take(at: Place, own: boolean): string | null {
    const awaited = this.from.length === this.to.length;
    if (own !== awaited)
      return awaited ? "Click a place of this body first." : "Click where it belongs on another body.";
    (own ? this.from : this.to).push(at);
    return null;
  }

  /** Takes the last place back. */
  back(): void {
    (this.from.length > this.to.length ? this.from : this.to).pop();
  }

  clear(): void {
    this.from.length = this.to.length = 0;
  }

  /** What is done next, in words. */
  next(): string {
    const whole = this.to.length;
    if (this.from.length > whole) return `Pair ${whole + 1}: click where this place belongs on another body.`;
    const more = whole >= FEWEST ? "Bring it there, or click one more place of this body." : "Click a place of this body."; // prettier-ignore
    return whole === 0
      ? `${more} Three pairs or more bring it to another body.`
      : `${whole} of ${FEWEST} pairs. ${more}`;
  }

  get areEnough(): boolean {
    return this.to.length >= FEWEST && this.from.length === this.to.length;
  }

  /** The step that they tell. */
  step(): Record<string, string> {
    const said = (all: Place[]) => all.map((p) => p.join(", ")).join("; ");
    return { step: "align_pairs", from: said(this.from), to: said(this.to) };
  }

  draw(overlay: Overlay, view: View): void {
    this.from.forEach((place, i) => {
      const [x, y] = view.screen(place);
      const to = this.to[i] ? view.screen(this.to[i]) : null;
      if (to) {
        overlay.add("path", { d: `M${x} ${y}L${to[0]} ${to[1]}`, stroke: "var(--color-met)", "stroke-dasharray": "6 3", fill: "none" }); // prettier-ignore
        overlay.add("rect", { x: to[0] - 4.5, y: to[1] - 4.5, width: 9, height: 9, fill: "var(--color-sheet)", stroke: "var(--color-met)", "stroke-width": 1.6 }); // prettier-ignore
      }
      overlay.add("circle", { cx: x, cy: y, r: 5, fill: "var(--color-met)", class: "pair" });
      overlay.text(x + 8, y - 6, String(i + 1), { "font-weight": 700 });
    });
  }
}
