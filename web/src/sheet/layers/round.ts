import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Point from "ol/geom/Point";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import type { SheetLayer } from "../drawing";

/** The round of the task that is chosen in the Day: its points in the order they are reached. */
export const round: SheetLayer = {
  name: "round",
  rank: 7.5,
  from: (view) => [view.round, view.plan.control, view.colours],
  features: ({ plan, round: paths, colours }) => {
    const places = paths.flatMap((path) => {
      const point = plan.control.find((p) => `control/${p.id}` === path);
      return point ? [[point.e, point.n]] : [];
    });
    if (places.length < 2) return [];
    const line = new Feature(new LineString(places));
    line.setStyle(new Style({ stroke: new Stroke({ color: colours.decision!, width: 1.5, lineDash: [6, 4] }) }));
    const numbers = places.map((place, k) => {
      const feature = new Feature(new Point(place));
      feature.setStyle(
        new Style({
          image: new CircleStyle({
            radius: 8,
            displacement: [-14, 14],
            fill: new Fill({ color: colours.sheet! }),
            stroke: new Stroke({ color: colours.decision!, width: 1.2 }),
          }),
          text: new Text({
            text: String(k + 1),
            offsetX: -14,
            offsetY: -13,
            font: "600 11px 'Atkinson Hyperlegible Mono Variable'",
            fill: new Fill({ color: colours.ink! }),
          }),
        }),
      );
      return feature;
    });
    return [line, ...numbers];
  },
};
