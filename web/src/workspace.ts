// The workspace: keeps the view in step with the page, and gives clicks and keys to the tools.
import { watchCells } from "./cells";
import { Anchors } from "./anchors";
import { showFrame } from "./framing";
import { showSizes } from "./lengths";
import { Naming } from "./naming";
import { Overlay } from "./overlay";
import { showPreview } from "./preview";
import { notify } from "./requests";
import { readScene } from "./scene";
import { makeSplitter } from "./splitter";
import { watchTables } from "./tables";
import { build, byKey, press, TOOLS } from "./tools";
import type { Bench } from "./tools/tool";
import { View } from "./view";
import { showWays } from "./ways";

function attachWorkspace(frame: HTMLElement): void {
  let scene = readScene();
  if (!scene) return;
  let taken = "turn";
  const overlay = new Overlay(frame);
  const draw = () => scene && overlay.draw(view, scene, anchors.places);
  const view = new View(frame, () => {
    draw();
    if (scene) anchors.settle(scene, draw);
  });
  const anchors = new Anchors(view);
  frame.append(overlay.svg);
  const naming = new Naming(view);
  build(frame);

  const toolOf = (id: string | undefined) => TOOLS.find((tool) => tool.id === id);
  const bench: Bench = {
    frame,
    view,
    overlay,
    naming,
    scene: () => scene,
    taken: () => taken,
    take(id) {
      if (id !== taken) toolOf(taken)?.leave?.(bench);
      taken = id;
      view.controls.enabled = true;
      for (const b of document.querySelectorAll<HTMLButtonElement>("[data-mode]")) {
        b.classList.toggle("on", b.dataset.mode === id);
        b.setAttribute("aria-pressed", String(b.dataset.mode === id));
      }
      frame.style.cursor = id === "turn" ? "grab" : "crosshair";
      toolOf(id)?.taken?.(bench);
      view.redraw();
    },
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
    showSizes();
    if (scene.revision !== before?.revision) naming.forget();
    for (const tool of TOOLS) tool.changed?.(bench);
    const plan = document.querySelector("#plan > section");
    if (plan) document.querySelector("#sheet")?.scrollTo(0, 0);
    else document.querySelector("#sheet .evidence")?.scrollIntoView({ block: "nearest" });
    try {
      await view.show(scene);
      await naming.show();
      await showPreview(view, overlay, scene);
      await showWays(view);
      await showFrame(view);
    } catch (e) {
      notify(e instanceof Error ? e.message : String(e));
    }
  };

  let down: [number, number] | null = null;
  view.canvas.addEventListener("pointerdown", (e) => (down = [e.clientX, e.clientY]));
  view.canvas.addEventListener("pointerup", (e) => {
    // A click is a press that did not become a turn.
    const still = down && Math.hypot(e.clientX - down[0], e.clientY - down[1]) < 4;
    const tool = toolOf(taken);
    const hit = still && tool?.click ? view.pick(e.clientX, e.clientY, tool.everywhere) : null;
    if (hit) tool?.click?.(bench, hit, e);
    const box = view.canvas.getBoundingClientRect();
    if (still) tool?.anywhere?.(bench, [e.clientX - box.left, e.clientY - box.top]);
  });

  for (const tool of TOOLS) tool.attach?.(bench);
  document.addEventListener("click", (event) => {
    const target = event.target instanceof Element ? event.target : null;
    const on = (selector: string) => target?.closest<HTMLElement>(selector);
    const tool = toolOf(on("[data-tool]")?.dataset.tool ?? on("[data-mode]")?.dataset.mode);
    if (tool) press(bench, tool);
    if (on("#unpick")) naming.clear();
    const change = on("[data-pick-change]")?.dataset.pickChange;
    if (change) void naming.change(change);
  });
  document.addEventListener("change", (event) => {
    if (event.target instanceof Element && event.target.matches("#regions, #angle")) void naming.show();
    if (event.target instanceof Element && event.target.closest("[data-frame-drawing]")) void showFrame(view);
    const all = event.target instanceof HTMLInputElement && event.target.matches("[data-tick-boundaries]");
    if (all)
      for (const box of document.querySelectorAll<HTMLInputElement>("[form=ticked-boundaries][name=names]"))
        box.checked = (event.target as HTMLInputElement).checked;
  });
  document.addEventListener("keydown", (event) => {
    const fields = "input:not([type=checkbox]):not([type=radio]), select, textarea";
    const target = event.target instanceof HTMLElement ? event.target : null;
    // Esc closes what is open in the view also while one of its fields is being filled in.
    const typing = target?.matches(fields) && !(event.key === "Escape" && frame.contains(target));
    if (typing || event.altKey) return;
    const held = event.ctrlKey || event.metaKey ? (event.shiftKey ? "ctrl+shift+" : "ctrl+") : "";
    const key = held + event.key.toLowerCase();
    const tool = byKey(key);
    if (!tool) return;
    if (held) event.preventDefault();
    press(bench, tool, key);
  });

  document.body.addEventListener("htmx:afterSettle", () => {
    showSizes();
    void sync();
  });
  showSizes();
  makeSplitter();
  watchTables();
  watchCells();
  bench.take("turn");
  void sync();
}

// Once the page with its still picture stands: making the view holds everything up for a moment.
const frame = document.querySelector<HTMLElement>("#view");
if (frame) requestAnimationFrame(() => setTimeout(() => attachWorkspace(frame)));
