// Keys that press what the page has: a step back and forward, the drawer, and the list of keys.
import type { Bench, Tool } from "./tool";

/** Whether the drawer was left folded. */
const FOLDED = "drawer folded";

const press = (selector: string) => () => document.querySelector<HTMLElement>(selector)?.click();

export const logbook: Tool = {
  id: "logbook",
  keys: ["b", "f"],
  told: "B / F",
  title: "back and forward a step in the logbook",
  press: (_, key) => press(key === "b" ? "#step-back" : "#step-forward")(),
};

function fold(): void {
  const folded = document.querySelector(".workspace")!.classList.toggle("folded");
  localStorage.setItem(FOLDED, String(folded));
}

export const drawer: Tool = {
  id: "drawer",
  keys: ["d"],
  title: "fold the drawer",
  press: fold,
  attach() {
    if (localStorage.getItem(FOLDED) === "true") fold();
    document.addEventListener("click", (event) => {
      if (event.target instanceof Element && event.target.closest("#fold")) fold();
    });
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
  label: "Keys",
  press: (bench: Bench) => toggle(bench.frame, tools()),
});
