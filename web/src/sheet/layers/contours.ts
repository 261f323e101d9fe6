import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import { length } from "../../lib/units";
import type { SheetLayer } from "../drawing";

/** Contours of the terrain, every fifth with its height. */
export const contours: SheetLayer = {
  name: "contours",
  rank: 1,
  still: true,
  from: (view) => [view.terrain, view.colours, view.plan.brief.unit],
  features: ({ terrain, colours, plan }) =>
    (terrain?.lines ?? []).map((contour) => {
      const feature = new Feature(new LineString(contour.line));
      const unit = plan.brief.unit;
      const text = unit === "m" ? String(contour.height) : length(contour.height, unit, 1);
      feature.setStyle(
        new Style({
          stroke: new Stroke({ color: colours.contour!, width: contour.index ? 1.1 : 0.5 }),
          text: contour.index
            ? new Text({
                text,
                placement: "line",
                font: "10px 'Atkinson Hyperlegible Mono Variable'",
                fill: new Fill({ color: colours.contour! }),
                stroke: new Stroke({ color: colours.sheet!, width: 3 }),
              })
            : undefined,
        }),
      );
      return feature;
    }),
};
