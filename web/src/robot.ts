// The sliders of a robot's joints: each moves the picture.
const picture = document.querySelector<HTMLImageElement>("[data-robot]");
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
  const values = sliders.map((s) => `${s.dataset.joint}=${s.value}`).join("&");
  picture.src = `${picture.dataset.robot}?${values}`;
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

export {};
