import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import MultiPoint from "ol/geom/MultiPoint";
import Polygon from "ol/geom/Polygon";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import { closed, type SheetLayer } from "../drawing";

const MANY = 500; // points from which rings would cover the drawing, and each other

const rings = (fill: string, line: string) =>
  new Style({
    image: new CircleStyle({
      radius: 3.5,
      fill: new Fill({ color: fill }),
      stroke: new Stroke({ color: line, width: 1.6 }),
    }),
  });

/** Small squares, all in one go: as symbols, thousands would take longer than a frame. */
const specks = (colour: string) =>
  new Style({
    renderer: (places, { context, pixelRatio }) => {
      const side = 3 * pixelRatio;
      context.fillStyle = colour;
      for (const [x, y] of places as [number, number][]) context.fillRect(x - side / 2, y - side / 2, side, side);
    },
  });

/** What a file would bring in: all its points as one drawing, so that thousands stay light; its lines and areas dashed. */
export const broughtIn: SheetLayer = {
  name: "brought in",
  rank: 7.7,
  from: (view) => [view.brought, view.colours],
  features: ({ brought, colours }) => {
    if (!brought) return [];
    const stroke = new Stroke({ color: colours.decision!, width: 1.8, lineDash: [4, 3] });
    const points = new Feature(new MultiPoint(brought.places));
    points.setStyle(
      brought.places.length > MANY ? specks(colours.decision!) : rings(colours.sheet!, colours.decision!),
    );
    const lines = brought.lines.map(({ vertices, closed: ring }) => {
      const feature = new Feature(ring ? new Polygon([closed(vertices)]) : new LineString(vertices));
      feature.setStyle(new Style({ stroke }));
      return feature;
    });
    return brought.places.length ? [points, ...lines] : lines;
  },
};
