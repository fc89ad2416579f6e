// A picture of the view as a file, at any size.
import { notify } from "../requests";
import type { Bench, Tool } from "./tool";

/** Pixels of a side at most: what browsers draw everywhere. */
const MOST = 8192;

const options = (bench: Bench) => bench.frame.querySelector<HTMLElement>("#picture-options")!;
const field = (bench: Bench, name: string) => options(bench).querySelector<HTMLInputElement>(`[name=${name}]`)!;

async function save(bench: Bench): Promise<void> {
  const [width, height] = ["picture-width", "picture-height"].map((n) => Math.round(Number(field(bench, n).value)));
  if (![width, height].every((n) => n >= 16 && n <= MOST))
    return notify(`A picture is 16 to ${MOST} pixels wide and high.`);
  const png = await bench.view.picture(width, height, field(bench, "picture-paper").checked ? 0xfbf9f3 : null);
  if (!png) return notify(`The browser cannot draw ${width} × ${height} pixels. Ask for fewer.`);
  const link = document.createElement("a");
  const name = document.querySelector("title")?.textContent?.split(" · ")[0] ?? "view";
  link.href = URL.createObjectURL(png);
  link.download = `${name.replace(/[^\p{L}\p{N}-]+/gu, "-")}.png`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

export const picture: Tool = {
  id: "picture",
  keys: ["i"],
  title: "save a picture of the view",
  label: "Picture",
  html: `<div class="sliders" id="picture-options" hidden><label>PNG of <input type="number" name="picture-width" value="1920" min="16" max="${MOST}" aria-label="Width in pixels"></label> × <label><input type="number" name="picture-height" value="1200" min="16" max="${MOST}" aria-label="Height in pixels"> pixels</label> <label><input type="checkbox" name="picture-paper" checked> on paper, else see-through</label> <button type="button" class="slim" id="save-picture">Save</button></div>`,
  attach: (bench) =>
    options(bench)
      .querySelector("#save-picture")!
      .addEventListener("click", () => void save(bench)),
  press(bench) {
    options(bench).hidden = !options(bench).hidden;
    bench.frame.querySelector("#picture")!.classList.toggle("on", !options(bench).hidden);
  },
};
