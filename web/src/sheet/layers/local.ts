import Feature from "ol/Feature";
import Point from "ol/geom/Point";
import type { SheetLayer } from "../drawing";
import { pointStyle } from "../symbols";

/** The points that a local grid is calibrated to, where they were measured, while Base is open. */
export const localPoints: SheetLayer = {
  name: "local points",
  rank: 7.4,
  still: true,
  from: (view) => [view.plan.brief.local, view.colours, view.station === "base"],
  features: ({ plan, colours, station }) =>
    (station === "base" ? (plan.brief.local?.points ?? []) : []).map((point) => {
      const feature = new Feature(new Point([point.e, point.n]));
      feature.setStyle(pointStyle("local", false, colours));
      return feature;
    }),
};
