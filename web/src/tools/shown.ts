// What the view shows: this body and its boundaries, and other bodies of the project beside it.
import { PALETTE } from "../drawing";
import { fetchGeometry, UNNAMED } from "../geometry";
import { choose, chosen, SYMBOLS } from "../lengths";
import { notify } from "../requests";
import type { Scene } from "../scene";
import type { Look } from "../view";
import type { Bench, Tool } from "./tool";

const LOOKS: [Look, string][] = [
  ["hidden", "hidden"],
  ["shown", "shown"],
  ["through", "see-through"],
];
/** Lists of more bodies get a field that filters them. */
const FILTER_FROM = 10;

/** How other bodies are shown, by their number; kept while the browser's tab is open. */
const kept = new Map<number, Look>();
const KEY = "shown beside";
/** Whether the view was left in perspective. */
const PERSPECTIVE = "in perspective";
const hidden = new Set<number>();
let own: Look = "shown";

const panel = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#shown-list")!;

function select(name: string, now: Look, data: string): string {
  const options = LOOKS.map(
    ([key, word]) => `<option value="${key}"${key === now ? " selected" : ""}>${word}</option>`,
  );
  return `<select aria-label="${name}" ${data}>${options.join("")}</select>`;
}

function escaped(text: string): string {
  const span = document.createElement("span");
  span.textContent = text;
  return span.innerHTML.replaceAll('"', "&quot;");
}

function boundaries(scene: Scene): string {
  if (scene.boundaries.length === 0) return "";
  const row = (key: number, name: string, colour: string) =>
    `<label><input type="checkbox" data-boundary-shown="${key}"${hidden.has(key) ? "" : " checked"}> <i style="--chip:${colour}"></i>${escaped(name)}</label>`;
  const named = scene.boundaries.map((b, i) =>
    row(i, b.name, `#${PALETTE[b.colour % PALETTE.length].toString(16).padStart(6, "0")}`),
  );
  return `<b>Boundaries</b>${named.join("")}${row(UNNAMED, "unnamed", "#e4dfd2")}`;
}

function others(scene: Scene): string {
  if (scene.others.length === 0) return "<p>This project has no other body.</p>";
  const row = ({ body, name, sized }: Scene["others"][number]) =>
    `<label data-name="${escaped(name.toLowerCase())}">${select(name, kept.get(body) ?? "hidden", `data-beside="${body}"`)} ${escaped(name)}${sized ? "" : " <em>no unit yet</em>"}</label>`;
  const filter =
    scene.others.length >= FILTER_FROM ? `<input type="search" id="shown-filter" placeholder="Find a body">` : "";
  return `<b>Other bodies</b><span class="act"><button type="button" class="slim" data-beside-all="shown">Show all</button><button type="button" class="slim" data-beside-all="through">All see-through</button><button type="button" class="slim" data-beside-all="hidden">This one alone</button></span>${filter}${scene.others.map(row).join("")}`;
}

/** Whether the body has members whose sections can be drawn. */
const isFrame = (bench: Bench) => bench.view.drawing?.geometry.chunks.some((c) => c.tag === "SOLD") ?? false;

function fill(bench: Bench): void {
  const scene = bench.scene();
  if (!scene) return;
  panel(bench).innerHTML = `<b>This body</b><label>${select("This body", own, "data-own")} as a whole</label>
    <label><input type="checkbox" data-edges${bench.view.edges ? " checked" : ""}> edges of facets</label>
    ${isFrame(bench) ? `<label><input type="checkbox" data-full-size${bench.view.fullSize ? " checked" : ""}> members at full size</label>` : ""}
    <label>lengths in <select data-lengths aria-label="What lengths are shown in">${SYMBOLS.map((s) => `<option${s === chosen() ? " selected" : ""}>${s}</option>`).join("")}</select></label>
    <label><input type="checkbox" data-perspective${bench.view.camera.isInPerspective ? " checked" : ""}> in perspective</label>
    <label><input type="checkbox" data-insides${bench.view.insides ? " checked" : ""}> inside in its own colour</label>
    ${boundaries(scene)}${others(scene)}`;
}

/** Brings other bodies into the view, or takes them out, as they are wanted. */
async function bring(bench: Bench): Promise<void> {
  const scene = bench.scene();
  if (!scene) return;
  const wanted = scene.others.filter((o) => (kept.get(o.body) ?? "hidden") !== "hidden");
  bench.view.keepBeside(wanted.map((o) => o.revision));
  for (const other of wanted) {
    const look = kept.get(other.body)!;
    if (bench.view.lookBeside(other.revision, look)) continue;
    try {
      const geometry = await fetchGeometry(other.revision, "view");
      // It may have been hidden again meanwhile.
      const still = kept.get(other.body) ?? "hidden";
      if (still !== "hidden") bench.view.addBeside(other.revision, other.name, geometry, still);
    } catch (e) {
      notify(`“${other.name}”: ${e instanceof Error ? e.message : String(e)}`);
    }
  }
}

function keep(bench: Bench): void {
  sessionStorage.setItem(KEY, JSON.stringify([...kept]));
  void bring(bench);
}

function changed(bench: Bench, target: Element): void {
  if (target instanceof HTMLSelectElement && target.dataset.beside !== undefined) {
    kept.set(Number(target.dataset.beside), target.value as Look);
    keep(bench);
  }
  if (target instanceof HTMLSelectElement && target.dataset.own !== undefined) {
    own = target.value as Look;
    bench.view.setOwn(own);
  }
  if (target instanceof HTMLSelectElement && target.dataset.lengths !== undefined) {
    choose(target.value);
    bench.view.redraw();
  }
  if (!(target instanceof HTMLInputElement)) return;
  if (target.dataset.edges !== undefined) bench.view.setEdges(target.checked);
  if (target.dataset.fullSize !== undefined) bench.view.setFullSize(target.checked);
  if (target.dataset.perspective !== undefined) {
    bench.view.setPerspective(target.checked);
    localStorage.setItem(PERSPECTIVE, String(target.checked));
  }
  if (target.dataset.insides !== undefined) bench.view.setInsides(target.checked);
  if (target.dataset.boundaryShown !== undefined) {
    const key = Number(target.dataset.boundaryShown);
    if (target.checked) hidden.delete(key);
    else hidden.add(key);
    bench.view.hideBoundaries(hidden);
  }
}

export const shown: Tool = {
  id: "shown",
  keys: ["v"],
  title: "choose what is shown: boundaries, other bodies",
  label: "Shown",
  html: `<div class="sliders list" id="shown-list" hidden></div>`,
  attach(bench) {
    for (const [body, look] of JSON.parse(sessionStorage.getItem(KEY) ?? "[]") as [number, Look][])
      kept.set(body, look);
    if (localStorage.getItem(PERSPECTIVE) === "true") bench.view.setPerspective(true);
    const list = panel(bench);
    list.addEventListener("change", (e) => e.target instanceof Element && changed(bench, e.target));
    list.addEventListener("input", (e) => {
      if (!(e.target instanceof HTMLInputElement) || e.target.id !== "shown-filter") return;
      const typed = e.target.value.trim().toLowerCase();
      for (const row of list.querySelectorAll<HTMLElement>("[data-name]"))
        row.hidden = !row.dataset.name!.includes(typed);
    });
    list.addEventListener("click", (e) => {
      const all = e.target instanceof HTMLElement ? e.target.dataset.besideAll : undefined;
      if (!all) return;
      for (const other of bench.scene()?.others ?? []) kept.set(other.body, all as Look);
      fill(bench);
      keep(bench);
    });
  },
  press(bench) {
    const list = panel(bench);
    list.hidden = !list.hidden;
    bench.frame.querySelector("#shown")!.classList.toggle("on", !list.hidden);
    if (!list.hidden) fill(bench);
  },
  changed(bench) {
    hidden.clear();
    bench.view.hideBoundaries(hidden);
    if (!panel(bench).hidden) fill(bench);
    void bring(bench);
  },
};
