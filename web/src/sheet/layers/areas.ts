import Feature from "ol/Feature";
import Polygon from "ol/geom/Polygon";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import { closed, type SheetLayer } from "../drawing";

/** Areas whose volume matters, or that a flight covers, with their names. */
export const areas: SheetLayer = {
  name: "areas",
  rank: 5,
  from: (view) => [view.plan.site.areas, view.colours],
  features: ({ plan, colours }) =>
    plan.site.areas.map((area) => {
      const feature = new Feature(new Polygon([closed(area.ring)]));
      feature.setStyle(
        new Style({
          stroke: new Stroke({ color: colours.settled!, width: 1.6, lineDash: [3, 3] }),
          text: new Text({
            text: area.name,
            font: "600 12px 'Atkinson Hyperlegible Next Variable'",
            fill: new Fill({ color: colours.settled! }),
            stroke: new Stroke({ color: colours.sheet!, width: 3 }),
          }),
        }),
      );
      return feature;
    }),
};
