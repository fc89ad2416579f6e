// The list of a project's bodies in the band: what is typed leaves those whose name has it; Enter goes to the first of them.

function shown(list: Element): HTMLElement[] {
  return [...list.querySelectorAll<HTMLElement>("li")].filter((line) => !line.hidden);
}

/** Listens to the list of bodies, whenever it comes. */
export function watchSwitch(): void {
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
