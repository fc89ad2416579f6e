// A preview in the view: what it adds is coloured, what it takes away is drawn see-through where it was.
import { missing } from "./changes";
import { fetchGeometry } from "./geometry";
import type { Overlay } from "./overlay";
import { type Scene, short } from "./scene";
import type { View } from "./view";

const NEW = 0x1f6fd0;
const GONE = 0x7a2e6e;
/** Bodies of more facets are not compared in the browser. */
const MOST = 400_000;

/** The preview that is drawn. */
let shown = 0;

/** Keeps what is drawn of a preview in step with the page. */
export async function showPreview(view: View, overlay: Overlay, scene: Scene): Promise<void> {
  const wanted = scene.preview ? scene.revision : 0;
  if (wanted === shown) return;
  shown = wanted;
  overlay.changes = "";
  for (const who of ["new", "gone"]) view.highlight(who, null);
  const after = view.drawing?.geometry;
  if (!wanted || !after || after.facets.length === 0) return view.redraw();
  const before = await fetchGeometry(scene.now, "view");
  if (shown !== wanted || Math.max(before.facets.length, after.facets.length) / 3 > MOST) return;
  const [added, gone] = [missing(after, before), missing(before, after)];
  view.highlight("new", { facets: added, colour: NEW, opacity: 0.6 });
  view.highlight("gone", { facets: gone, colour: GONE, opacity: 0.5 }, before);
  const many = (n: number, what: string) => `${short(n)} ${n === 1 ? "facet" : "facets"} ${what}`;
  const told = [
    added.length ? many(added.length, "new, blue") : "",
    gone.length ? many(gone.length, "gone, plum") : "",
  ];
  overlay.changes = `Preview: ${told.filter(Boolean).join("; ") || "no facet differs"}`;
  view.redraw();
}
