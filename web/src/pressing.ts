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
