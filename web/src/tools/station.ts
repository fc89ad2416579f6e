// Where the eye is becomes a station of the stand-in scanner: it looks at the body's middle from there.
import type { Tool } from "./tool";

export const station: Tool = {
  id: "station",
  keys: [],
  title: "adds where the eye is to a scan's stations",
  press: () => {},
  attach: (bench) =>
    document.addEventListener("click", (e) => {
      const button = e.target instanceof Element ? e.target.closest("[data-station]") : null;
      const field = button?.closest("form")?.querySelector<HTMLInputElement>("input[name=stations]");
      const { drawing } = bench.view;
      if (!button || !field || !drawing) return;
      const middle = drawing.centre();
      const { min, max } = drawing.geometry;
      const away = 1.5 * Math.hypot(...[0, 1, 2].map((k) => max[k] - min[k]));
      const [x, y, z] = bench.view.gaze().map((d, k) => (middle.toArray()[k] - away * d).toPrecision(5));
      const places = field.value.split(";").map((p) => p.trim());
      // The two that stand there at first are examples.
      const own = field.dataset.own ? places : [];
      field.dataset.own = "yes";
      field.value = [...own, [x, y, z].map(Number).join(", ")].join("; ");
      field.form!.querySelector<HTMLInputElement>("[name=by][value=scan]")?.click();
    }),
};
