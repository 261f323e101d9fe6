import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Point from "ol/geom/Point";
import Polygon from "ol/geom/Polygon";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import type { SiteFeature } from "../../api/client";
import { closed, type SheetLayer } from "../drawing";

type Kind = SiteFeature["kind"];
/** Where nobody is sent; what stands up; ways in; the rest bounds the air. */
const FORBIDS: Kind[] = ["keep_out", "no_permission", "hazard", "water"];
const STANDS: Kind[] = ["obstacle", "canopy", "power_line"];
const LEADS: Kind[] = ["access", "gate"];

/** What is on the site, each by what it does: a heavy dashed outline forbids, a solid one stands up, a double dash leads in. */
export const things: SheetLayer = {
  name: "features of the site",
  rank: 5.5,
  from: (view) => [view.plan.site.features, view.plan.brief.unit, view.colours],
  features: ({ plan, colours }) =>
    plan.site.features.map((thing) => {
      const geometry =
        thing.vertices.length === 1
          ? new Point(thing.vertices[0]!)
          : thing.shape === "area"
            ? new Polygon([closed(thing.vertices)])
            : new LineString(thing.vertices);
      const feature = new Feature(geometry);
      const { kind } = thing;
      const colour = FORBIDS.includes(kind)
        ? colours.decision!
        : LEADS.includes(kind)
          ? colours.settled!
          : colours.ink!;
      const stroke = new Stroke({
        color: colour,
        width: STANDS.includes(kind) ? 2.2 : 1.8,
        lineDash: STANDS.includes(kind) ? undefined : LEADS.includes(kind) ? [10, 3, 2, 3] : [6, 3],
      });
      feature.setStyle(
        new Style({
          stroke,
          fill: new Fill({ color: `${colour}1f` }),
          image: new CircleStyle({ radius: 6, stroke, fill: new Fill({ color: colours.sheet! }) }),
          text: new Text({
            text: thing.name,
            font: "600 12px 'Atkinson Hyperlegible Next Variable'",
            offsetY: thing.vertices.length === 1 ? -14 : 0,
            overflow: true,
            fill: new Fill({ color: colour }),
            stroke: new Stroke({ color: colours.sheet!, width: 3 }),
          }),
        }),
      );
      return feature;
    }),
};
