// Which answers are shown. A page of a body is asked for by people (a tab, a row, a step) and by itself (something has
// changed): what people asked for last is what stands there, whenever the other answers come.
import { whenReleased } from "./pressing";
import { notify } from "./requests";

/** A request as the library tells of it; it reads `target` again when the answer is there. */
interface Asked {
  xhr: XMLHttpRequest;
  target: Element;
  requestConfig: { verb: string; elt: Element };
}

/** What people asked for last, what that was when each request was made, and what has not been answered. */
let newest: XMLHttpRequest | null = null;
const when = new WeakMap<XMLHttpRequest, XMLHttpRequest | null>();
const waiting = new Set<Asked>();

/** Whether the page asks by itself. */
const byItself = (asked: Asked) => asked.requestConfig.elt.hasAttribute("data-here");
const ofSheet = (asked: Asked) => asked.target.id === "sheet" || byItself(asked);

/** Tells what a step says whose answer is not shown. */
function tell(answer: XMLHttpRequest): void {
  const page = new DOMParser().parseFromString(answer.responseText, "text/html");
  const said = page.querySelector("#notice")?.textContent?.trim();
  if (said) notify(said);
}

/** Has answers shown in the order in which people asked; `look` is told when the page may have to be asked for again. */
export function keepOrder(look: () => void): void {
  document.body.addEventListener("htmx:configRequest", (event) => {
    const config = (event as CustomEvent<{ elt: Element; path: string }>).detail;
    // The page as it is now is asked for where people are now, not where they were when it was drawn.
    if (config.elt.hasAttribute("data-here")) config.path = location.pathname + location.search;
  });
  document.body.addEventListener("htmx:beforeRequest", (event) => {
    const asked = (event as CustomEvent<Asked>).detail;
    if (!ofSheet(asked)) return;
    // What people asked for brings the page as it is.
    if (byItself(asked) && [...waiting].some((other) => !byItself(other))) return event.preventDefault();
    if (!byItself(asked)) newest = asked.xhr;
    when.set(asked.xhr, newest);
    waiting.add(asked);
    const show = asked.xhr.onload;
    asked.xhr.onload = function (done) {
      whenReleased(() => {
        // The sheet may be another one than when this was asked.
        if (!byItself(asked)) asked.target = document.querySelector("#sheet") ?? asked.target;
        show?.call(this, done);
      });
    };
    asked.xhr.addEventListener("loadend", () => {
      waiting.delete(asked);
      setTimeout(look);
    });
  });
  document.body.addEventListener("htmx:beforeSwap", (event) => {
    const asked = (event as CustomEvent<Asked & { shouldSwap: boolean }>).detail;
    // Something else was asked for since.
    if (!when.has(asked.xhr) || when.get(asked.xhr) === newest) return;
    asked.shouldSwap = false;
    if (asked.requestConfig.verb !== "get") tell(asked.xhr);
  });
}
