import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Point from "ol/geom/Point";
import RegularShape from "ol/style/RegularShape";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { Close, Plan } from "../../api/client";
import type { SheetLayer } from "../drawing";
import { plainStep } from "../frame";

/** Residuals of the closed job: arrows in plan, stems in height, upward where the map is too high; the factor is stated. */
export const residuals: SheetLayer = {
  name: "residuals",
  rank: 7.8,
  from: (view) => [view.closed, view.plan.control, view.colours, view.residualFactor],
  features: ({ plan, closed, colours, residualFactor }) => {
    if (!closed || !residualFactor) return [];
    const places = new Map(plan.control.map((p) => [p.id, p]));
    return closed.residuals.flatMap((line) => {
      const point = places.get(line.point);
      if (!point || !line.d) return [];
      const [de, dn, du] = line.d.map((value) => value * residualFactor) as [number, number, number];
      const from = [point.e, point.n];
      return [stem(from, du, colours), arrow(from, de, dn, colours)];
    });
  },
};

function stem(from: number[], up: number, colours: Record<string, string>): Feature {
  const feature = new Feature(new LineString([from, [from[0]!, from[1]! + up]]));
  feature.setStyle([
    new Style({ stroke: new Stroke({ color: colours.sheet!, width: 7 }) }),
    new Style({ stroke: new Stroke({ color: colours.settled!, width: 4.5 }) }),
  ]);
  return feature;
}

function arrow(from: number[], de: number, dn: number, colours: Record<string, string>): Feature {
  const to = [from[0]! + de, from[1]! + dn];
  const feature = new Feature(new LineString([from, to]));
  feature.setStyle([
    new Style({ stroke: new Stroke({ color: colours.decision!, width: 2 }) }),
    new Style({
      geometry: new Point(to),
      image: new RegularShape({
        points: 3,
        radius: 6,
        rotation: Math.atan2(de, dn),
        rotateWithView: true,
        fill: new Fill({ color: colours.decision! }),
      }),
    }),
  ]);
  return feature;
}

/** A plain factor at which the largest residual is about a twelfth of the site's longer side. */
export function residualFactorOf(closed: Close | undefined, plan: Plan): number {
  const largest = Math.max(0, ...(closed?.residuals ?? []).flatMap((line) => (line.d ?? []).map(Math.abs)));
  const corners = plan.site.boundary;
  const span = Math.max(0, ...[0, 1].map((k) => extent(corners.map((corner) => corner[k]!))));
  return largest && span ? plainStep((0.08 * span) / largest / 2) : 0;
}

function extent(values: number[]): number {
  return values.length ? Math.max(...values) - Math.min(...values) : 0;
}
