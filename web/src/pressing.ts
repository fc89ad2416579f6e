// A press during a swap acts: what has just come into the page is not yet listened to for some milliseconds.

/** What the page's own copy of the library offers. */
interface Htmx {
  process(element: Element): void;
}

/** Has the library listen to an element now; listening twice is not possible: it knows what it listens to. */
export function listen(element: Element): void {
  (window as unknown as { htmx?: Htmx }).htmx?.process(element);
}

/** Has the library listen to whatever is pressed or sent before the press reaches it. */
export function watchPresses(): void {
  const ready = (event: Event) => {
    const target = event.target instanceof Element ? event.target : null;
    const asks = target?.closest("[hx-post], [hx-get]");
    if (asks) listen(asks);
  };
  for (const kind of ["click", "submit"]) document.addEventListener(kind, ready, true);
}

let down = false;
const waiting: (() => void)[] = [];

/** Has `act` done when nothing is held down: what is under a pressed mouse button must not be exchanged, or the press is lost. */
export function whenReleased(act: () => void): void {
  if (down) waiting.push(act);
  else act();
}

/** Follows what is held down. */
export function watchHeld(): void {
  const release = () => {
    down = false;
    // The click comes right after the release, in the same turn.
    setTimeout(() => {
      for (const act of waiting.splice(0)) act();
    });
  };
  document.addEventListener("pointerdown", () => (down = true), true);
  for (const kind of ["pointerup", "pointercancel", "dragend"]) document.addEventListener(kind, release, true);
  window.addEventListener("blur", release);
}
