// The kinds of geometry that the view draws besides the surface.
import type { Kind } from "./kind";
import { lines } from "./lines";
import { points } from "./points";
import { solids } from "./solids";
import { splats } from "./splats";

export const KINDS: readonly Kind[] = [points, splats, lines, solids];
