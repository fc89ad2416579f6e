// What a tool of the view is: one file each, named in the list of index.ts. Its key, its button and its line among the
// keys follow from it.
import type { Naming } from "../naming";
import type { Overlay } from "../overlay";
import type { Scene } from "../scene";
import type { Hit, View } from "../view";

/** What tools work with. */
export interface Bench {
  readonly frame: HTMLElement;
  readonly view: View;
  readonly overlay: Overlay;
  readonly naming: Naming;
  /** What the page says about the body now. */
  scene(): Scene | null;
  /** Gives the clicks in the view to a tool. */
  take(id: string): void;
  /** The tool that has the clicks. */
  taken(): string;
}

export interface Tool {
  readonly id: string;
  /** Keys that press it, and how they are told, where that is not the first of them. */
  readonly keys: string[];
  readonly told?: string;
  /** Its line among the keys. */
  readonly title: string;
  /** Its button in the view's first row, where it has one. */
  readonly label?: string;
  /** A mode keeps the clicks in the view until another one takes them. */
  readonly mode?: boolean;
  /** What it adds to the view, beside its button. */
  readonly html?: string;
  /** Once the view is made. */
  attach?(bench: Bench): void;
  press?(bench: Bench, key: string): void;
  /** A click on the body, while the tool has the clicks. */
  click?(bench: Bench, hit: Hit, event: PointerEvent): void;
  /** A click anywhere in the view, in pixels of the frame, while the tool has the clicks. */
  anywhere?(bench: Bench, at: [number, number]): void;
  /** Whether it takes clicks on other bodies too. */
  readonly everywhere?: boolean;
  /** The tool gets the clicks. */
  taken?(bench: Bench): void;
  /** The tool loses the clicks. */
  leave?(bench: Bench): void;
  /** The page is at another state, or another place of it. */
  changed?(bench: Bench): void;
}
