import { scans } from "../../stations/flight/parts";
import Feature from "ol/Feature";
import { fromExtent } from "ol/geom/Polygon";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { ErrorLayer } from "../../app/workbench/overlay";
import { fineFactor, fineUnit } from "../../lib/units";
import type { SheetLayer, SheetView } from "../drawing";
import { rampOfCovered } from "../covered";
import { ramp, type Ramp } from "../symbols";

/** Predicted error or number of images, as cells of the map sample. */
export const cells: SheetLayer = {
  name: "cells",
  rank: 0,
  still: true,
  opacity: 0.8,
  from: (view) => [view.ramp, view.surface, view.layer, view.covered],
  features: ({ ramp, surface, layer, plan, covered }) => {
    if (!ramp || !surface || covered) return [];
    const { e, n, step } = surface.map;
    const styles = new Map<string, Style>();
    return cellValues(surface.map, layer, plan.brief.unit).map((value, k) => {
      const fill = value === null ? "transparent" : ramp.colour(value);
      if (!styles.has(fill))
        styles.set(
          fill,
          new Style({ fill: new Fill({ color: fill }), stroke: new Stroke({ color: fill, width: 0.6 }) }),
        );
      const half = step / 2;
      const feature = new Feature(fromExtent([e[k]! - half, n[k]! - half, e[k]! + half, n[k]! + half]));
      feature.setStyle(styles.get(fill));
      return feature;
    });
  },
};

/** The colours of the layer that is shown, broken at the tolerance. */
export function rampOf(view: Pick<SheetView, "surface" | "layer" | "colours" | "plan" | "covered">): Ramp | null {
  const { surface, layer, colours, plan, covered } = view;
  if (covered) return rampOfCovered(covered, plan.brief.unit, colours);
  if (!surface || layer === "none") return null;
  const unit = plan.brief.unit;
  const values = cellValues(surface.map, layer, unit).filter((v): v is number => v !== null);
  if (!values.length) return null;
  if (layer === "images" && scans(plan))
    return ramp(
      values,
      2,
      { title: "flight lines that see the ground", limitName: "least", largeIsGood: true },
      colours,
    );
  if (layer === "images")
    return ramp(values, 5, { title: "images that see the ground", limitName: "least", largeIsGood: true }, colours);
  const allowed = layer === "v" ? surface.limit_v : surface.limit_h;
  const limit = allowed === null ? Math.max(...values) * 1.01 : allowed * fineFactor(unit);
  const title = `${layer === "v" ? "height" : "plan, radial:"} standard deviation, ${fineUnit(unit)}`;
  return ramp(values, limit, { title, limitName: allowed === null ? "" : "tol" }, colours);
}

function cellValues(
  map: { h: (number | null)[]; v: (number | null)[]; images: number[] },
  layer: ErrorLayer,
  unit: string,
): (number | null)[] {
  if (layer === "images") return map.images;
  return map[layer === "h" ? "h" : "v"].map((x) => (x === null ? null : x * fineFactor(unit)));
}
