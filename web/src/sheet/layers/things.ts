import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Point from "ol/geom/Point";
import Polygon from "ol/geom/Polygon";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { SiteFeature } from "../../api/client";
import { closed, type SheetLayer } from "../drawing";

type Kind = SiteFeature["kind"];
/** Where nobody is sent; what stands up; ways in; the rest bounds the air. */
const FORBIDS: Kind[] = ["keep_out", "no_permission", "hazard", "water", "tide", "traffic", "livestock"];
const STANDS: Kind[] = ["obstacle", "canopy", "power_line", "vehicle"];
const LEADS: Kind[] = ["access", "gate"];

/** The colour of a kind: what forbids calls for a decision, what leads in is settled. */
export function colourOf(kind: Kind, colours: Record<string, string>): string {
  return FORBIDS.includes(kind) ? colours.decision! : LEADS.includes(kind) ? colours.settled! : colours.ink!;
}

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
      feature.setId(`site/features/${thing.id}`);
      const { kind } = thing;
      const colour = colourOf(kind, colours);
      const stroke = new Stroke({
        color: colour,
        width: STANDS.includes(kind) ? 2.2 : 1.8,
        lineDash: STANDS.includes(kind) ? undefined : LEADS.includes(kind) ? [10, 3, 2, 3] : [6, 3],
      });
      feature.setStyle(
        new Style({
          stroke,
          fill: new Fill({ color: kind === "airspace" ? "transparent" : `${colour}1f` }),
          image: new CircleStyle({ radius: 6, stroke, fill: new Fill({ color: colours.sheet! }) }),
        }),
      );
      return feature;
    }),
};
