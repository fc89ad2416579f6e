// The list of a project's bodies in the band: what is typed leaves those whose name has it; Enter goes to the first of them.

import { listen } from "./pressing";

function shown(list: Element): HTMLElement[] {
  return [...list.querySelectorAll<HTMLElement>("li")].filter((line) => !line.hidden);
}

/** Whether somebody is at the list. */
const inUse = () => document.querySelector(".switch[open], .switch:focus-within") !== null;
/** Whether the band was left as it was because of that. */
let behind = false;

/** Listens to the list of bodies, whenever it comes. */
export function watchSwitch(): void {
  // A page that is drawn again by itself does not take the list away from whoever is at it.
  document.body.addEventListener("htmx:oobBeforeSwap", (event) => {
    const swap = (event as CustomEvent<{ target: Element; shouldSwap: boolean }>).detail;
    if (swap.target.id !== "band" || !inUse()) return;
    swap.shouldSwap = false;
    behind = true;
  });
  document.addEventListener("focusout", () =>
    setTimeout(() => {
      const live = document.querySelector("#live");
      if (!behind || inUse() || !live) return;
      behind = false;
      listen(live);
      live.dispatchEvent(new CustomEvent("changed"));
    }),
  );
  document.addEventListener("input", (event) => {
    if (!(event.target instanceof HTMLInputElement) || !event.target.matches("[data-filter]")) return;
    const wanted = event.target.value.trim().toLowerCase();
    for (const line of event.target.parentElement!.querySelectorAll<HTMLElement>("li"))
      line.hidden = !line.querySelector("span")?.textContent?.toLowerCase().includes(wanted);
  });
  document.addEventListener("keydown", (event) => {
    const part = event.target instanceof Element ? event.target.closest<HTMLDetailsElement>(".switch") : null;
    if (!part) return;
    if (event.key === "Escape") {
      part.open = false;
      part.querySelector("summary")?.focus();
    }
    if (event.key === "Enter" && event.target instanceof HTMLInputElement)
      shown(part)[0]?.querySelector<HTMLAnchorElement>("a")?.click();
  });
  document.addEventListener("click", (event) => {
    for (const part of document.querySelectorAll<HTMLDetailsElement>(".switch[open]"))
      if (!(event.target instanceof Node && part.contains(event.target))) part.open = false;
  });
  document.addEventListener(
    "toggle",
    (event) => {
      const part = event.target instanceof HTMLDetailsElement && event.target.matches(".switch") ? event.target : null;
      if (part?.open) part.querySelector<HTMLInputElement>("[data-filter]")?.focus();
    },
    true,
  );
}
