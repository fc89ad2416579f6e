// The sliders of a robot's joints: each moves the picture.
const picture = document.querySelector<HTMLImageElement>("[data-robot]");
const masses = document.querySelector<HTMLInputElement>("[data-masses]");
const sliders = [...document.querySelectorAll<HTMLInputElement>("[data-joint]")];

/** Only one picture is asked for at a time; the last wish wins. */
let waiting = false;
let wished = false;

function draw(): void {
  if (!picture) return;
  if (waiting) {
    wished = true;
    return;
  }
  waiting = true;
  const values = sliders.map((s) => `${s.dataset.joint}=${s.value}`);
  if (masses?.checked) values.push("masses=1");
  picture.src = `${picture.dataset.robot}?${values.join("&")}`;
}

function drawn(): void {
  waiting = false;
  if (wished) {
    wished = false;
    draw();
  }
}

/** What the cameras see is taken when a slider is let go: each picture is a scene of its own. */
function look(): void {
  const values = sliders.map((s) => `${s.dataset.joint}=${s.value}`).join("&");
  for (const seen of document.querySelectorAll<HTMLImageElement>("[data-camera]")) {
    const [address, query] = seen.src.split("?");
    const own = query.split("&").filter((part) => /^(camera|kind)=/.test(part));
    seen.src = `${address}?${[...own, values].join("&")}`;
  }
}

picture?.addEventListener("load", drawn);
picture?.addEventListener("error", drawn);
for (const slider of sliders) slider.addEventListener("change", look);
for (const slider of sliders)
  slider.addEventListener("input", () => {
    const output = slider.parentElement?.querySelector("output");
    const unit = output?.textContent?.trim().split(" ").pop() ?? "";
    if (output) output.textContent = `${Number(slider.value).toFixed(0)} ${unit}`;
    draw();
  });

masses?.addEventListener("change", draw);

/** The tree is arranged by dragging a link onto the one that it is to hang on; the server says where that cannot be. */
const tree = document.querySelector<SVGSVGElement>("svg.tree");
const plan = document.querySelector<HTMLFormElement>("#plan");

function linkAt(event: PointerEvent): SVGGElement | null {
  return document.elementFromPoint(event.clientX, event.clientY)?.closest<SVGGElement>("[data-link]") ?? null;
}

function hang(child: string, parent: string): void {
  const button = document.createElement("button");
  button.name = "do";
  button.value = `hang-${child}-on-${parent}`;
  button.hidden = true;
  plan?.append(button);
  plan?.requestSubmit(button);
}

tree?.addEventListener("pointerdown", (down) => {
  const dragged = linkAt(down);
  if (!dragged) return;
  down.preventDefault();
  dragged.classList.add("dragged");
  let over: SVGGElement | null = null;
  const move = (event: PointerEvent) => {
    over?.classList.remove("over");
    over = linkAt(event);
    if (over === dragged) over = null;
    over?.classList.add("over");
    const [dx, dy] = [event.clientX - down.clientX, event.clientY - down.clientY];
    dragged.style.transform = `translate(${dx}px, ${dy}px)`;
  };
  const stop = () => {
    document.removeEventListener("pointermove", move);
    dragged.classList.remove("dragged");
    dragged.style.transform = "";
    over?.classList.remove("over");
    if (over) hang(dragged.dataset.link!, over.dataset.link!);
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", stop, { once: true });
});

/** A robot that takes long is shown as soon as it is built, unless somebody is typing by then. */
let typed = false;
plan?.addEventListener("input", () => {
  typed = true;
});
document.addEventListener("htmx:afterSettle", () => {
  if (!typed && document.querySelector("[data-built]")) location.reload();
});

export {};
