import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import Point from "ol/geom/Point";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import { getCenter } from "ol/extent";
import Polygon from "ol/geom/Polygon";
import type { SiteFeature } from "../../api/client";
import { closed, type SheetLayer, type SheetView } from "../drawing";
import { placed } from "../labelling";
import { takeOffsOf } from "./flights";
import { colourOf } from "./things";

const FONT = "600 12px 'Atkinson Hyperlegible Next Variable', sans-serif";
const SIGN = 11;
/** Pixels beyond the sheet from where a name may still reach into it. */
const BEYOND = 200;
let measuring: CanvasRenderingContext2D | null = null;
const widths = new Map<string, number>();

function widthOf(text: string): number {
  let width = widths.get(text);
  if (width === undefined) {
    measuring ??= document.createElement("canvas").getContext("2d")!;
    measuring.font = FONT;
    width = measuring.measureText(text).width + 4;
    widths.set(text, width);
  }
  return width;
}

interface Named {
  at: number[];
  text: string;
  colour: string;
  sign: number;
}

/** The names of marks, control and features, each beside its sign and none over another: where it is crowded they move apart, with a line to
 * what they name; those for which no room is left come when the sheet is drawn larger. */
export const labels: SheetLayer = {
  name: "names",
  rank: 9,
  from: (view) => [
    view.plan.control,
    view.plan.marks,
    view.plan.setups,
    view.plan.flights,
    view.plan.site.features,
    view.plan.brief.local,
    view.station === "base",
    view.station === "flight" && view.summary?.flights,
    view.selected,
    view.draft,
    view.round,
    view.resolution,
    view.extent,
    view.colours,
  ],
  features: (view) => {
    const { resolution, extent, colours } = view;
    if (!resolution) return [];
    const named = namesOf(view).filter(({ at }) => !extent || isNear(at, extent, BEYOND * resolution));
    const places = placed(
      named.map(({ at, text, sign }) => ({
        x: at[0]! / resolution,
        y: -at[1]! / resolution,
        width: widthOf(text),
        sign,
      })),
      extent && [extent[0] / resolution, -extent[3] / resolution, extent[2] / resolution, -extent[1] / resolution],
    );
    return named.flatMap(({ at, text, colour }, k) => {
      const place = places[k];
      if (!place) return [];
      const { dx, dy, far } = place;
      const name = new Feature(new Point(at));
      const halo = new Stroke({ color: colours.sheet!, width: 3.5 });
      const words = { text, font: FONT, offsetX: dx, offsetY: dy, overflow: true, stroke: halo };
      name.setStyle(new Style({ text: new Text({ ...words, fill: new Fill({ color: colour }) }) }));
      if (!far) return [name];
      const line = new Feature(new LineString([at, [at[0]! + dx * resolution, at[1]! - dy * resolution]]));
      line.setStyle(new Style({ stroke: new Stroke({ color: colour, width: 0.8 }) }));
      return [line, name];
    });
  },
};

function isNear([x, y]: number[], [a, b, c, d]: number[], beyond: number): boolean {
  return x! >= a! - beyond && x! <= c! + beyond && y! >= b! - beyond && y! <= d! + beyond;
}

/** What bears a name; the chosen point first, for it chooses its place first. */
function namesOf({ plan, summary, station, selected, draft, round, colours }: SheetView): Named[] {
  const flownFrom = new Set(
    plan.flights.flatMap((f) => (f.positioned_from.on === "setup" ? [f.positioned_from.setup] : [])),
  );
  const bases = new Set(plan.setups.filter((s) => flownFrom.has(s.id)).map((s) => s.mark));
  const where = (object: string, e: number, n: number) => (draft?.object === object ? [draft.e, draft.n] : [e, n]);
  const ink = colours.ink!;
  const points = [
    ...plan.control.map((p) => ({
      object: `control/${p.id}`,
      text: numbered(p.name, round.indexOf(`control/${p.id}`)),
      e: p.e,
      n: p.n,
    })),
    ...plan.marks.map((m) => ({
      object: `marks/${m.id}`,
      text: bases.has(m.id) ? `${m.name} · base` : m.name,
      e: m.e,
      n: m.n,
    })),
  ].map(({ object, text, e, n }) => ({ object, at: where(object, e, n), text, colour: ink, sign: SIGN }));
  const first = points.filter((p) => p.object === selected);
  const rest = points.filter((p) => p.object !== selected);
  const local = (station === "base" ? (plan.brief.local?.points ?? []) : []).map((p) => ({
    at: [p.e, p.n],
    text: p.name,
    colour: ink,
    sign: SIGN,
  }));
  const pads = (station === "flight" ? (summary?.flights ?? []) : []).flatMap((flown) =>
    takeOffsOf(flown).map(({ at, sorties }) => ({
      at,
      text: `take-off${plan.flights.find((flight) => flight.id === flown.id)?.take_off ? sorties : "?"}`,
      colour: ink,
      sign: SIGN,
    })),
  );
  return [...first, ...rest, ...local, ...pads, ...plan.site.features.map((f) => ofFeature(f, colours))];
}

/** A name with its place on the round that is looked at. */
function numbered(name: string, at: number): string {
  return at < 0 ? name : `${at + 1} · ${name}`;
}

function ofFeature(thing: SiteFeature, colours: Record<string, string>): Named {
  const place = thing.vertices.length === 1;
  return {
    at: place ? thing.vertices[0]! : middleOf(thing),
    text: thing.name,
    colour: colourOf(thing.kind, colours),
    sign: place ? 8 : 0,
  };
}

function middleOf(thing: SiteFeature): number[] {
  if (thing.shape === "area")
    return new Polygon([closed(thing.vertices)]).getInteriorPoint().getCoordinates().slice(0, 2);
  const line = new LineString(thing.vertices);
  return line.getLength() ? line.getCoordinateAt(0.5) : getCenter(line.getExtent());
}
