import Feature from "ol/Feature";
import MultiPoint from "ol/geom/MultiPoint";
import Polygon from "ol/geom/Polygon";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import { closed, type SheetLayer } from "../drawing";

/** The boundary, with its corners while the Site is open. */
export const boundary: SheetLayer = {
  name: "boundary",
  rank: 6,
  from: (view) => [view.plan.site.boundary, view.station, view.colours],
  features: ({ plan, station, colours }) => {
    if (plan.site.boundary.length < 3) return [];
    const feature = new Feature(new Polygon([closed(plan.site.boundary)]));
    const vertices = new Style({
      image: new CircleStyle({
        radius: 3.2,
        fill: new Fill({ color: colours.sheet! }),
        stroke: new Stroke({ color: colours.ink!, width: 1.3 }),
      }),
      geometry: (f) => new MultiPoint((f.getGeometry() as Polygon).getCoordinates()[0]!),
    });
    const outline = new Style({ stroke: new Stroke({ color: colours.ink!, width: 1.8, lineDash: [12, 3, 2, 3] }) });
    feature.setStyle(station === "site" ? [outline, vertices] : [outline]);
    return [feature];
  },
};

/** A ring that somebody is about to take. */
export const preview: SheetLayer = {
  name: "preview",
  rank: 7,
  from: (view) => [view.preview, view.colours],
  features: ({ preview, colours }) => {
    if (!preview) return [];
    const feature = new Feature(new Polygon([closed(preview)]));
    feature.setStyle(
      new Style({
        stroke: new Stroke({ color: colours.decision!, width: 2.2, lineDash: [4, 4] }),
        fill: new Fill({ color: "rgb(180 68 28 / 0.08)" }),
      }),
    );
    return [feature];
  },
};
