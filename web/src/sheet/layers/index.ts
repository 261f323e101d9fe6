import type { SheetLayer } from "../drawing";
import { areas } from "./areas";
import { boundary, preview } from "./boundary";
import { cells } from "./cells";
import { contours } from "./contours";
import { ellipses } from "./ellipses";
import { exposures, strips } from "./flights";
import { points } from "./points";

/** The sheet's layers, from the ground up. A new one is a module here and a line in this list. */
export const LAYERS: SheetLayer[] = [cells, contours, strips, exposures, ellipses, areas, boundary, preview, points];
