import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import MultiLineString from "ol/geom/MultiLineString";
import Point from "ol/geom/Point";
import MultiPoint from "ol/geom/MultiPoint";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import RegularShape from "ol/style/RegularShape";
import Text from "ol/style/Text";
import CircleStyle from "ol/style/Circle";
import Style from "ol/style/Style";
import type { FlightFigures } from "../../api/client";
import type { SheetLayer } from "../drawing";
import { cross, pointStyle } from "../symbols";

const MOST_NAMED = 12; // sorties of a flight: the names of more would lie on each other
const DASHES = [[7, 5], [2, 4], [10, 3, 2, 3]]; // prettier-ignore

/** Flight lines of every flight, each flight in a dash of its own. */
export const strips: SheetLayer = {
  name: "strips",
  rank: 2,
  still: true,
  from: (view) => [view.summary?.flights, view.colours],
  features: ({ summary, colours }) =>
    (summary?.flights ?? []).map((flight, k) => {
      const lines = new Feature(new MultiLineString(flight.strips.map((s) => [s.start, s.end])));
      lines.setStyle(
        new Style({ stroke: new Stroke({ color: colours.quiet!, width: 0.7, lineDash: DASHES[k % DASHES.length] }) }),
      );
      return lines;
    }),
};

/** Exposures: dots of the first flight, small crosses of the others. */
export const exposures: SheetLayer = {
  name: "exposures",
  rank: 3,
  still: true,
  from: (view) => [view.summary?.flights, view.colours],
  features: ({ summary, colours }) =>
    (summary?.flights ?? []).map((flight, k) => {
      const centres = new Feature(new MultiPoint(flight.e.map((e, i) => [e, flight.n[i]!])));
      const dot = new CircleStyle({ radius: 1.3, fill: new Fill({ color: colours.quiet! }) });
      centres.setStyle(new Style({ image: k ? cross(colours.quiet!, 2.6, 0.9) : dot }));
      return centres;
    }),
};

/** Flight lines that somebody drew, with ends to be dragged, while the Flight is open. */
export const ownStrips: SheetLayer = {
  name: "own strips",
  rank: 4.25,
  from: (view) => [view.plan.flights, view.colours, view.station === "flight"],
  features: ({ plan, colours, station }) =>
    (station === "flight" ? plan.flights : []).flatMap((flight) =>
      (flight.pattern.kind === "own" ? flight.pattern.lines : []).map((strip, k) => {
        const line = new Feature(new LineString([strip.start, strip.end]));
        line.setId(`${flight.id}/${k}`);
        const end = new CircleStyle({
          radius: 4,
          fill: new Fill({ color: colours.sheet! }),
          stroke: new Stroke({ color: colours.ink!, width: 1.4 }),
        });
        line.setStyle([
          new Style({ stroke: new Stroke({ color: colours.ink!, width: 1.2 }) }),
          new Style({ image: end, geometry: new MultiPoint([strip.start, strip.end]) }),
        ]);
        return line;
      }),
    ),
};

/** Where a battery is changed: each sortie's number where its first line begins, while the Flight is open. */
export const sorties: SheetLayer = {
  name: "legs",
  rank: 4.3,
  still: true,
  from: (view) => [view.summary?.flights, view.colours, view.station === "flight"],
  features: ({ summary, colours, station }) =>
    (station === "flight" ? (summary?.flights ?? []) : []).flatMap((flight) =>
      flight.sorties.map((sortie, k) => {
        const start = new Feature(new Point(flight.strips[sortie.first_strip]!.start));
        const text = new Text({
          text: flight.sorties.length > MOST_NAMED ? "" : `sortie ${k + 1}`,
          font: "600 11px 'Atkinson Hyperlegible Next Variable', sans-serif",
          offsetY: -12,
          fill: new Fill({ color: colours.ink! }),
          stroke: new Stroke({ color: colours.sheet!, width: 3 }),
        });
        const image = new RegularShape({
          points: 4,
          radius: 4,
          angle: Math.PI / 4,
          fill: new Fill({ color: colours.ink! }),
        });
        start.setStyle(new Style({ image, text }));
        return start;
      }),
    ),
};

/** Where flights take off, while the Flight is open. */
export const takeOffs: SheetLayer = {
  name: "take-offs",
  rank: 4.35,
  still: true,
  from: (view) => [view.summary?.flights, view.colours, view.station === "flight"],
  features: ({ summary, colours, station }) =>
    (station === "flight" ? (summary?.flights ?? []) : []).flatMap(takeOffsOf).map(({ at }) => {
      const pad = new Feature(new Point(at));
      pad.setStyle(pointStyle("pad", false, colours));
      return pad;
    }),
};

/** The places that a flight takes off from, with which sorties do so where there are several. */
export function takeOffsOf({ sorties }: FlightFigures): { at: [number, number]; sorties: string }[] {
  const places = new Map<string, number[]>();
  sorties.forEach(({ take_off }, k) => places.set(take_off.join(), [...(places.get(take_off.join()) ?? []), k + 1]));
  return [...places].map(([at, numbers]) => ({
    at: at.split(",").map(Number) as [number, number],
    sorties: places.size > 1 ? ` ${numbers[0]}${numbers.length > 1 ? `–${numbers.at(-1)}` : ""}` : "",
  }));
}

/** Exposures that no corrections come to, struck out, while Base is open. */
export const unreached: SheetLayer = {
  name: "unreached",
  rank: 4.2,
  still: true,
  from: (view) => [view.summary?.flights, view.colours, view.station === "base"],
  features: ({ summary, colours, station }) =>
    (station === "base" ? (summary?.flights ?? []) : []).map((flight) => {
      const out = flight.reach?.out ?? [];
      const struck = new Feature(new MultiPoint(out.map((k) => [flight.e[k]!, flight.n[k]!])));
      struck.setStyle(new Style({ image: cross(colours.decision!, 5, 1.6) }));
      return struck;
    }),
};
