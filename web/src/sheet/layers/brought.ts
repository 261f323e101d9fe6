import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import MultiPoint from "ol/geom/MultiPoint";
import Polygon from "ol/geom/Polygon";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import { closed, type SheetLayer } from "../drawing";

/** What a file would bring in: all its points as one drawing, so that thousands stay light; its lines and areas dashed. */
export const broughtIn: SheetLayer = {
  name: "brought in",
  rank: 7.7,
  from: (view) => [view.brought, view.colours],
  features: ({ brought, colours }) => {
    if (!brought) return [];
    const stroke = new Stroke({ color: colours.decision!, width: 1.8, lineDash: [4, 3] });
    const dot = new CircleStyle({
      radius: 3.5,
      fill: new Fill({ color: colours.sheet! }),
      stroke: new Stroke({ color: colours.decision!, width: 1.6 }),
    });
    const points = new Feature(new MultiPoint(brought.places));
    points.setStyle(new Style({ image: dot }));
    const lines = brought.lines.map(({ vertices, closed: ring }) => {
      const feature = new Feature(ring ? new Polygon([closed(vertices)]) : new LineString(vertices));
      feature.setStyle(new Style({ stroke }));
      return feature;
    });
    return brought.places.length ? [points, ...lines] : lines;
  },
};
