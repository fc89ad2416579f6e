// Pages that follow a project: the server tells what has changed and how far jobs have come. How far is written into the
// page; a page that has changed is asked for again.
import { type Kept, remember } from "./kept";
import { keepOrder } from "./order";
import { listen } from "./pressing";

interface Told {
  at: number;
  key: string;
  surveyed: string;
  jobs: { id: number; fraction: number; phrase: string; time: string }[];
}

/** What the library says of an answer. */
interface Swap {
  shouldSwap: boolean;
  requestConfig: { elt: Element; path: string };
  xhr: XMLHttpRequest;
}

/** Whether what people have typed stays: the page is drawn again by itself, shows a preview, or says why it did nothing. */
function keeps({ requestConfig: { elt, path }, xhr }: Swap): boolean {
  const previews = /\/previews(\?|$)|\/repairs\/preview\//.test(path);
  return elt.hasAttribute("data-here") || previews || /id="notice"[^>]*>\s*(<div>)?\s*[^<\s]/.test(xhr.responseText);
}

/** The server tells the latest again after ten seconds: who hears nothing for this many milliseconds asks anew. */
const SILENT = 25_000;

let last: Told | null = null;
let heard = 0;
let source: EventSource | null = null;

/** The part of the page that says what it shows. */
const live = () => document.querySelector<HTMLElement>("[data-events]");

function write(told: Told): void {
  for (const job of told.jobs)
    for (const part of document.querySelectorAll<HTMLElement>(`[data-job="${job.id}"]`)) {
      const set = (selector: string, text: string) => {
        const place = part.querySelector(selector);
        if (place && place.textContent !== text) place.textContent = text;
      };
      set("[data-phrase]", job.phrase);
      set("[data-time]", job.time);
      part.querySelector<HTMLElement>(".meter i")?.style.setProperty("width", `${Math.round(job.fraction * 100)}%`);
    }
}

/** Asks for the page again if it is older than what was told, and shows something else. */
function look(): void {
  const part = live();
  if (!last || !part || last.at <= Number(part.dataset.at)) return;
  const ask = (element: Element | null) => {
    if (!element) return;
    listen(element);
    element.dispatchEvent(new CustomEvent("changed"));
  };
  if (last.key !== part.dataset.key) ask(part);
  else if (part.dataset.surveyed !== undefined && last.surveyed !== part.dataset.surveyed)
    ask(document.querySelector("#surveying") ?? part);
}

function follow(): void {
  const address = live()?.dataset.events;
  source?.close();
  source = null;
  // A tab that nobody sees follows nothing: a browser has few connections to one server.
  if (!address || document.hidden) return;
  source = new EventSource(address);
  heard = performance.now();
  source.onmessage = (event) => {
    heard = performance.now();
    last = JSON.parse(event.data as string) as Told;
    write(last);
    look();
  };
}

/** Begins to follow what this page shows. */
export function followEvents(): void {
  if (!live()) return;
  keepOrder(look);
  let kept: Kept | null = null;
  document.body.addEventListener("htmx:beforeSwap", (event) => {
    const { detail } = event as CustomEvent<Swap>;
    if (detail.shouldSwap) kept = keeps(detail) ? remember() : null;
  });
  document.body.addEventListener("htmx:afterSwap", () => {
    kept?.open();
    kept?.write();
  });
  document.body.addEventListener("htmx:afterSettle", () => {
    // Settling gives what has an id the attributes that came for it: what was open is closed by it.
    kept?.open();
    kept = null;
    setTimeout(look);
  });
  document.addEventListener("visibilitychange", follow);
  // A stream may end without a word: a computer that slept, a server that is another one now.
  setInterval(() => {
    if (source && performance.now() - heard > SILENT) follow();
  }, SILENT / 5);
  follow();
}
