import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Point from "ol/geom/Point";
import CircleStyle from "ol/style/Circle";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { SheetLayer } from "../drawing";
import { pointStyle } from "../symbols";

/** Marks and control; what is on its way shows where it comes from. */
export const points: SheetLayer = {
  name: "points",
  rank: 8,
  from: (view) => [view.plan.control, view.plan.marks, view.selected, view.draft, view.colours],
  features: ({ plan, selected, draft, colours }) => {
    const out: Feature[] = [];
    const add = (object: string, kind: string, e: number, n: number) => {
      const at = draft?.object === object ? [draft.e, draft.n] : [e, n];
      if (draft?.object === object) out.push(whence([e, n], at, colours));
      const feature = new Feature(new Point(at));
      feature.setId(object);
      feature.setStyle(pointStyle(kind, selected === object, colours));
      out.push(feature);
    };
    for (const m of plan.marks) add(`marks/${m.id}`, "mark", m.e, m.n);
    for (const p of plan.control) add(`control/${p.id}`, p.role, p.e, p.n);
    return out;
  },
};

/** Where a point on its way comes from: a dashed ring at the old place and a line to the new one. */
function whence(from: number[], to: number[], colours: Record<string, string>): Feature {
  const feature = new Feature(new LineString([from, to]));
  const stroke = new Stroke({ color: colours.decision!, width: 1.4, lineDash: [4, 3] });
  feature.setStyle([
    new Style({ stroke }),
    new Style({ image: new CircleStyle({ radius: 8, stroke }), geometry: new Point(from) }),
  ]);
  return feature;
}
