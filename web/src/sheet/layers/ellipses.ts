import Feature from "ol/Feature";
import Polygon from "ol/geom/Polygon";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { Result, Summary } from "../../api/client";
import type { SheetLayer } from "../drawing";
import { plainStep } from "../frame";

/** Error ellipses of control, exaggerated; the factor is stated in the legend. */
export const ellipses: SheetLayer = {
  name: "ellipses",
  rank: 4,
  still: true,
  from: (view) => [view.result, view.plan.control, view.exaggeration, view.colours],
  features: ({ result, plan, exaggeration, colours }) => {
    const places = new Map(plan.control.map((p) => [p.id, p]));
    return (result?.control ?? []).flatMap((figures) => {
      const point = places.get(figures.id);
      if (!point || !figures.ellipse || !exaggeration) return [];
      const { major, minor, azimuth } = figures.ellipse;
      const a = (azimuth * Math.PI) / 180;
      const ring = Array.from({ length: 37 }, (_, k) => {
        const t = (k * Math.PI) / 18;
        const [x, y] = [major * Math.cos(t) * exaggeration, minor * Math.sin(t) * exaggeration];
        return [point.e + x * Math.sin(a) + y * Math.cos(a), point.n + x * Math.cos(a) - y * Math.sin(a)];
      });
      const feature = new Feature(new Polygon([ring]));
      feature.setStyle(new Style({ stroke: new Stroke({ color: colours.ink!, width: 1 }) }));
      return [feature];
    });
  },
};

/** A plain factor at which the largest ellipse is a fortieth of the site. */
export function exaggerationOf(result: Result | null, summary: Summary | undefined): number {
  const largest = Math.max(0, ...(result?.control ?? []).map((c) => c.ellipse?.major ?? 0));
  const span = summary?.area ? Math.sqrt(summary.area) : 0;
  return largest && span ? plainStep((0.05 * span) / largest / 2) : 0;
}
