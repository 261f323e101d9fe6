import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { SheetLayer } from "../drawing";

/** The round of the task that is chosen in the Day: the way past its points; their names carry the order. */
export const round: SheetLayer = {
  name: "round",
  rank: 7.5,
  from: (view) => [view.round, view.way, view.plan.control, view.colours],
  features: ({ plan, round: paths, way, colours }) => {
    const places = paths.flatMap((path) => {
      const point = plan.control.find((p) => `control/${p.id}` === path);
      return point ? [[point.e, point.n]] : [];
    });
    if (places.length < 2 && !way.length) return [];
    const line = new Feature(new LineString(way.length ? way : places));
    line.setStyle(new Style({ stroke: new Stroke({ color: colours.decision!, width: 1.5, lineDash: [6, 4] }) }));
    return [line];
  },
};
