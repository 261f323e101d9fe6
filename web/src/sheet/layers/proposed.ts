import Feature from "ol/Feature";
import Point from "ol/geom/Point";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import RegularShape from "ol/style/RegularShape";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { SheetLayer } from "../drawing";

/** The layout that is looked at before it is taken: targets filled, checks open, neither named. */
export const proposedLayout: SheetLayer = {
  name: "proposed layout",
  rank: 7.6,
  from: (view) => [view.proposed, view.colours],
  features: ({ proposed, colours }) =>
    (proposed ?? []).map(({ role, e, n }) => {
      const feature = new Feature(new Point([e, n]));
      const stroke = new Stroke({ color: colours.settled!, width: 2.4 });
      const image =
        role === "target"
          ? new RegularShape({ points: 4, radius: 12, fill: new Fill({ color: colours.settled! }), stroke })
          : new CircleStyle({ radius: 9, stroke, fill: new Fill({ color: colours.sheet! }) });
      feature.setStyle(new Style({ image }));
      return feature;
    }),
};
