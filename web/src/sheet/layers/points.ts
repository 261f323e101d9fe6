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
  from: (view) => [
    view.plan.control,
    view.plan.marks,
    view.plan.setups,
    view.plan.flights,
    view.selected,
    view.draft,
    view.colours,
  ],
  features: ({ plan, selected, draft, colours }) => {
    const out: Feature[] = [];
    const add = (object: string, kind: string, label: string, e: number, n: number) => {
      const at = draft?.object === object ? [draft.e, draft.n] : [e, n];
      if (draft?.object === object) out.push(whence([e, n], at, colours));
      const feature = new Feature(new Point(at));
      feature.setId(object);
      feature.setStyle(pointStyle(kind, label, selected === object, colours));
      out.push(feature);
    };
    const flownFrom = new Set(plan.flights.flatMap((f) => (f.hangs_on.on === "setup" ? [f.hangs_on.setup] : [])));
    const bases = new Set(plan.setups.filter((s) => flownFrom.has(s.id)).map((s) => s.mark));
    for (const m of plan.marks) add(`marks/${m.id}`, "mark", bases.has(m.id) ? `${m.name} · base` : m.name, m.e, m.n);
    for (const p of plan.control) add(`control/${p.id}`, p.role, p.name, p.e, p.n);
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
