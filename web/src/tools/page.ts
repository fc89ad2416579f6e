// Keys that press what the page has: a step back and forward, the drawer, and the list of keys.
import type { Bench, Tool } from "./tool";

/** Whether the drawer was left folded. */
const FOLDED = "drawer folded";

const press = (selector: string) => () => document.querySelector<HTMLElement>(selector)?.click();

export const logbook: Tool = {
  id: "logbook",
  keys: ["ctrl+z", "ctrl+shift+z"],
  told: "Ctrl+Z / Ctrl+Shift+Z",
  title: "back and forward a step in the logbook",
  press: (_, key) => press(key === "ctrl+z" ? "#step-back" : "#step-forward")(),
};

function fold(): void {
  const folded = document.querySelector(".workspace")!.classList.toggle("folded");
  localStorage.setItem(FOLDED, String(folded));
}

export const drawer: Tool = {
  id: "drawer",
  keys: ["d"],
  title: "collapse the panel",
  press: fold,
  attach() {
    if (localStorage.getItem(FOLDED) === "true") fold();
    document.addEventListener("click", (event) => {
      if (event.target instanceof Element && event.target.closest("#fold")) fold();
    });
  },
};

export const escape: Tool = {
  id: "escape",
  keys: ["escape"],
  told: "Esc",
  title: "close what is open, back to turning",
  press: (bench) => {
    const open = (selector: string) => bench.frame.querySelector<HTMLElement>(`${selector}:not([hidden])`);
    bench.frame.querySelector(".keys")?.remove();
    const panels = [["#section-slider", "#section"], ["#compare-slider", "#compare"], ["#shown-list", "#shown"], ["#picture-options", "#picture"]]; // prettier-ignore
    for (const [panel, button] of panels) if (open(panel)) bench.frame.querySelector<HTMLElement>(button)?.click();
    bench.take("turn");
  },
};

/** Shows every tool's keys, or hides them. */
function toggle(frame: HTMLElement, tools: readonly Tool[]): void {
  const open = frame.querySelector(".keys");
  if (open) return open.remove();
  const box = document.createElement("div");
  box.className = "keys";
  const table = box.appendChild(document.createElement("table"));
  for (const tool of tools.filter((t) => t.keys.length > 0)) {
    const row = table.insertRow();
    row.insertCell().appendChild(document.createElement("kbd")).textContent = tool.told ?? tool.keys[0].toUpperCase();
    row.insertCell().textContent = tool.title;
  }
  frame.append(box);
}

/** The tool that lists the keys of all tools. */
export const keysOf = (tools: () => readonly Tool[]): Tool => ({
  id: "keys",
  keys: ["?"],
  title: "these keys",
  label: "?",
  press: (bench: Bench) => toggle(bench.frame, tools()),
});
