// A page without a browser, for scripts that listen to one: documents as jsdom has them, and what the scripts ask of a window.
import { JSDOM } from "jsdom";

/** What the scripts use of a window. */
const NAMES = [
  "window", "document", "location", "localStorage", "sessionStorage", "Element", "HTMLElement", "HTMLInputElement",
  "HTMLButtonElement", "HTMLSelectElement", "HTMLDetailsElement", "Option", "Node", "Event", "CustomEvent", "DOMParser",
] as const; // prettier-ignore

/** Opens a page; what ran on the page before goes on with this one, as scripts name the document anew each time. */
export function open(body: string, address = "http://127.0.0.1/"): Document {
  const { window } = new JSDOM(`<!doctype html><body>${body}</body>`, { url: address, pretendToBeVisual: true });
  window.Element.prototype.scrollIntoView = () => undefined;
  for (const name of NAMES) Object.defineProperty(globalThis, name, { value: window[name], configurable: true, writable: true }); // prettier-ignore
  return window.document;
}

/** The first element that fits; a test without it has nothing to say. */
export function part<T extends HTMLElement = HTMLElement>(selector: string): T {
  const found = document.querySelector<T>(selector);
  if (!found) throw new Error(`no ${selector} on the page`);
  return found;
}

export const input = (selector: string) => part<HTMLInputElement>(selector);

/** Types into a field, as somebody does. */
export function type(selector: string, text: string): void {
  input(selector).value = text;
  input(selector).dispatchEvent(new Event("input", { bubbles: true }));
}

/** Ticks a box, or chooses. */
export function tick(selector: string, on = true): void {
  input(selector).checked = on;
  input(selector).dispatchEvent(new Event("change", { bubbles: true }));
}

/** Tells the page what the library tells it; whether that was let go on. */
export function told(name: string, detail: unknown): boolean {
  return document.body.dispatchEvent(new CustomEvent(`htmx:${name}`, { detail, bubbles: true, cancelable: true }));
}

/** What waits for its turn has had it. */
export const aTurn = () => new Promise((done) => setTimeout(done));
