// The workspace: keeps the view in step with the page, and the tools, keys and places.
import { Naming } from "./naming";
import { distance, Overlay } from "./overlay";
import { notify } from "./requests";
import { type Place, readScene, type Scene, short } from "./scene";
import { STANDARD, View } from "./view";

/** Whether the drawer was left folded. */
const FOLDED = "drawer folded";

type Mode = "turn" | "pick" | "measure";

const KEYS: [string, string][] = [
  ["J / K", "next and previous place of the open requirement"],
  ["T", "turn the body"],
  ["P", "pick faces"],
  ["M", "measure between two points"],
  ["C", "cut"],
  ["W", "wipe between as received and now"],
  ["0", "fit the body into the view"],
  ["1 … 6", "from fore, aft, port, starboard, above, below"],
  ["B / F", "back and forward a step in the logbook"],
  ["D", "fold the drawer"],
  ["?", "these keys"],
];

function attachWorkspace(frame: HTMLElement): void {
  let scene = readScene();
  if (!scene) return;
  let mode: Mode = "turn";
  let place = -1;
  const overlay = new Overlay(frame);
  const view = new View(frame, () => scene && overlay.draw(view, scene));
  frame.append(overlay.svg);
  const naming = new Naming(view);
  const { tools, sliders } = buildTools(frame);

  const setMode = (next: Mode) => {
    mode = next;
    view.controls.enabled = true;
    if (next !== "measure") overlay.measured = [];
    for (const b of tools.querySelectorAll<HTMLButtonElement>("[data-mode]"))
      b.classList.toggle("on", b.dataset.mode === next);
    frame.style.cursor = next === "turn" ? "grab" : "crosshair";
    view.redraw();
  };

  let address = "";
  const sync = async () => {
    const before = scene;
    const last = address;
    scene = readScene();
    address = location.href;
    if (!scene) return;
    // Answers of a survey under way: findings are added at the end of the list, nothing else is new.
    if (scene.revision === before?.revision && address === last && scene.findings.length !== before.findings.length) {
      view.redraw();
      return;
    }
    if (scene.revision !== before?.revision) naming.forget();
    place = -1;
    overlay.finding = null;
    const plan = document.querySelector("#plan > section");
    if (plan) document.querySelector("#sheet")?.scrollTo(0, 0);
    else document.querySelector("#sheet .evidence")?.scrollIntoView({ block: "nearest" });
    try {
      await view.show(scene);
      await naming.show();
    } catch (e) {
      notify(e instanceof Error ? e.message : String(e));
    }
  };

  const visit = (index: number) => {
    const finding = scene?.findings[index];
    if (!finding) return;
    overlay.finding = finding;
    view.flyTo(finding.at, finding.radius, finding.from);
    for (const row of document.querySelectorAll<HTMLElement>(".finding"))
      row.classList.toggle("now", Number(row.dataset.finding) === index);
  };

  const stepPlace = (by: number) => {
    const text = document.querySelector<HTMLElement>("#place-text");
    const listed = text?.dataset.places?.trim().split(/\s+/).map(Number);
    const places = listed ?? scene?.findings.map((_, i) => i) ?? [];
    if (places.length === 0) return;
    place = place < 0 ? (by > 0 ? 0 : places.length - 1) : (place + by + places.length) % places.length;
    visit(places[place]);
    const now = document.querySelector("#place-now");
    if (now) now.textContent = String(place + 1);
    if (text) text.textContent = scene?.findings[places[place]].text ?? "";
  };

  const setWipe = (on: boolean) => {
    overlay.wipe = on ? 0.5 : null;
    if (scene) void view.setWipe(overlay.wipe, scene);
    sliders.wipe.hidden = !on;
    tools.querySelector("#wipe")!.classList.toggle("on", on);
  };

  const setCut = (on: boolean) => {
    sliders.cut.hidden = !on;
    tools.querySelector("#cut")!.classList.toggle("on", on);
    const axis = Number(sliders.cut.querySelector("select")!.value);
    const part = Number(sliders.cut.querySelector<HTMLInputElement>("input")!.value);
    view.setCut(axis, on ? part : null);
  };

  const fold = () => {
    const folded = document.querySelector(".workspace")!.classList.toggle("folded");
    localStorage.setItem(FOLDED, String(folded));
  };
  if (localStorage.getItem(FOLDED) === "true") fold();

  const click = async (event: PointerEvent) => {
    const hit = view.pick(event.clientX, event.clientY);
    if (!hit || !scene) return;
    if (mode === "pick") await naming.click(hit.at, event.shiftKey, event.altKey);
    if (mode === "measure") {
      overlay.measured = overlay.measured.length === 2 ? [hit.at] : [...overlay.measured, hit.at];
      if (overlay.measured.length === 2) fillMeasured(overlay.measured, scene);
      view.redraw();
    }
  };

  let down: [number, number] | null = null;
  view.canvas.addEventListener("pointerdown", (e) => (down = [e.clientX, e.clientY]));
  view.canvas.addEventListener("pointerup", (e) => {
    // A click is a press that did not become a turn.
    if (down && Math.hypot(e.clientX - down[0], e.clientY - down[1]) < 4) void click(e);
  });

  document.addEventListener("click", (event) => {
    const target = event.target instanceof Element ? event.target : null;
    const on = (selector: string) => target?.closest<HTMLElement>(selector);
    const finding = on("[data-finding]");
    if (finding) visit(Number(finding.dataset.finding));
    const boundary = on("[data-boundary]");
    if (boundary && !on("select, button")) view.flyTo(scene!.boundaries[Number(boundary.dataset.boundary)].at, 0);
    const show = on("[data-visit]");
    if (show) {
      const at = show.dataset.visit!.split(",").map(Number) as Place;
      const near = scene!.findings.filter((f) => f.kind === "open_edges");
      const gap = (f: { at: Place }) => distance([f.at, at]);
      const from = near.sort((a, b) => gap(a) - gap(b))[0]?.from ?? [0, 0, 1];
      overlay.finding = { kind: "hole", at, radius: 0, from, text: at.map((v) => short(v)).join("  ") };
      view.flyTo(at, 0, from);
    }
    const step = on("[data-step-place]");
    if (step) stepPlace(Number(step.dataset.stepPlace));
    const chosen = on("[data-mode]");
    if (chosen) setMode(chosen.dataset.mode as Mode);
    const standard = on("[data-look]");
    if (standard) view.look(standard.dataset.look!);
    if (on("#unpick")) naming.clear();
    if (on("#wipe")) setWipe(overlay.wipe === null);
    if (on("#cut")) setCut(sliders.cut.hidden === true);
    if (on("#keys-button")) toggleKeys(frame);
    if (on("#fold")) fold();
  });
  document.addEventListener("change", (event) => {
    if (event.target instanceof Element && event.target.matches("#regions, #angle")) void naming.show();
  });
  sliders.cut.addEventListener("input", () => setCut(true));
  sliders.wipe.addEventListener("input", () => {
    overlay.wipe = Number(sliders.wipe.querySelector("input")!.value);
    if (scene) void view.setWipe(overlay.wipe, scene);
  });

  document.addEventListener("keydown", (event) => {
    const typing = event.target instanceof HTMLElement && event.target.matches("input, select, textarea");
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "Enter" && event.target instanceof HTMLElement && event.target.matches("[data-finding]"))
      visit(Number(event.target.dataset.finding));
    const press = (selector: string) => () => document.querySelector<HTMLElement>(selector)?.click();
    const views = Object.keys(STANDARD);
    const actions: Record<string, () => void> = {
      j: () => stepPlace(1),
      k: () => stepPlace(-1),
      t: () => setMode("turn"),
      p: () => setMode("pick"),
      m: () => setMode("measure"),
      c: () => setCut(sliders.cut.hidden === true),
      w: () => setWipe(overlay.wipe === null),
      b: press("#step-back"),
      f: press("#step-forward"),
      d: fold,
      "?": () => toggleKeys(frame),
    };
    const digit = "0123456".indexOf(event.key);
    if (event.key.length === 1 && digit >= 0) view.look(views[digit]);
    else actions[event.key.toLowerCase()]?.();
  });

  document.body.addEventListener("htmx:afterSettle", () => void sync());
  setMode("turn");
  void sync();
}

/** Fills the measured distance into the size form, in file units. */
function fillMeasured(ends: Place[], scene: Scene): void {
  const field = document.querySelector<HTMLInputElement>("#measured");
  if (field) field.value = String(Number((distance(ends) / scene.placement.scale).toPrecision(7)));
}

function toggleKeys(frame: HTMLElement): void {
  const open = frame.querySelector(".keys");
  if (open) return open.remove();
  const box = document.createElement("div");
  box.className = "keys";
  const table = box.appendChild(document.createElement("table"));
  for (const [key, what] of KEYS) {
    const row = table.insertRow();
    row.insertCell().appendChild(document.createElement("kbd")).textContent = key;
    row.insertCell().textContent = what;
  }
  frame.append(box);
}

function buildTools(frame: HTMLElement) {
  const host = document.createElement("div");
  host.innerHTML = `
    <div class="tools" role="toolbar" aria-label="Tools of the view">
      <button type="button" data-mode="turn" title="Turn (T)">Turn</button><button type="button" data-mode="pick" title="Pick faces (P)">Pick faces</button>
      <button type="button" data-mode="measure" title="Measure (M)">Measure</button><button type="button" id="cut" title="Cut (C)">Cut</button>
      <button type="button" id="wipe" title="Wipe (W)">As received | now</button><button type="button" id="keys-button" title="Keys (?)">Keys</button>
    </div>
    <div class="tools standard" role="toolbar" aria-label="Standard views">
      <button type="button" data-look="corner" title="Fit (0)">Fit</button>${[
        "fore",
        "aft",
        "port",
        "starboard",
        "above",
        "below",
      ]
        .map((v, i) => `<button type="button" data-look="${v}" title="From ${v} (${i + 1})">${v}</button>`)
        .join("")}
    </div>
    <label class="sliders" id="cut-slider" hidden>Cut along <select aria-label="Axis"><option value="0">x</option><option value="1">y</option><option value="2">z</option></select><input type="range" min="0" max="1" step="0.005" value="0.5" aria-label="Where to cut"></label>
    <label class="sliders" id="wipe-slider" hidden>as received <input type="range" min="0" max="1" step="0.005" value="0.5" aria-label="How much as received"> now</label>`;
  const [tools] = host.querySelectorAll<HTMLElement>(".tools");
  const cut = host.querySelector<HTMLElement>("#cut-slider")!;
  const wipe = host.querySelector<HTMLElement>("#wipe-slider")!;
  frame.append(...host.children);
  return { tools, sliders: { cut, wipe } };
}

// Once the page with its still picture stands: making the view holds everything up for a moment.
const frame = document.querySelector<HTMLElement>("#view");
if (frame) requestAnimationFrame(() => setTimeout(() => attachWorkspace(frame)));
