import { lazy, type ComponentType } from "react";
import type { Catalogue, Close, Plan, Result, Summary, Undetermined } from "../api/client";
import type { Placing } from "../app/workbench/selection";
import { area, chance, counted, fine, fineUnit, length, UNITS } from "../lib/units";
import type { SheetLayer } from "../sheet/drawing";
import { areas } from "../sheet/layers/areas";
import { boundary, preview } from "../sheet/layers/boundary";
import { broughtIn } from "../sheet/layers/brought";
import { labels } from "../sheet/layers/labels";
import { cells } from "../sheet/layers/cells";
import { contours } from "../sheet/layers/contours";
import { ellipses } from "../sheet/layers/ellipses";
import { exposures, sorties, ownStrips, strips, takeOffs, unreached } from "../sheet/layers/flights";
import { localPoints } from "../sheet/layers/local";
import { basePlaces } from "../sheet/layers/places";
import { gaps } from "../sheet/layers/gaps";
import { things } from "../sheet/layers/things";
import { proposedLayout } from "../sheet/layers/proposed";
import { points } from "../sheet/layers/points";
import { round } from "../sheet/layers/round";
import { residuals } from "../sheet/layers/residuals";
import { BASE_VIEWS } from "./base/views";
import { CLOSE_VIEWS } from "./close/views";
import { CONTROL_VIEWS } from "./control/views";
import { FLIGHT_VIEWS } from "./flight/views";
import { STATION_IDS, type Station } from "./ids";
import { SITE_VIEWS } from "./site/views";
import type { ViewEntry } from "./views";

/** What a station's line is told from. */
interface LineView {
  plan: Plan;
  summary: Summary | undefined;
  result: Result | null;
  undetermined: Undetermined | null;
  catalogue: Catalogue;
  close: Close | undefined;
}

/** Something that is placed on the sheet: by its button, or by its key. */
interface Tool {
  places: Exclude<Placing, null>;
  key: string;
  words: string;
}

/** All there is to know of a station. A new one is an entry here; nothing else lists them. */
export interface StationEntry {
  title: string;
  Tray: ComponentType;
  /** What it draws on the sheet, and what it places there. */
  layers: SheetLayer[];
  tools: Tool[];
  /** What it shows one after another, where that is more than fits: Alt and a number goes there. */
  views?: readonly ViewEntry[];
  /** Its one-line summary, and whether anything has been done at it. */
  line: (view: LineView) => { words: string; begun: boolean };
}

const loads: (() => Promise<unknown>)[] = [];

function tray(load: () => Promise<{ default: ComponentType }>): ComponentType {
  loads.push(load);
  return lazy(load);
}

/** Have all trays at hand before they are opened: in the field the signal may be gone by then. */
export const fetchTrays = () => Promise.all(loads.map((load) => load()));

export const STATIONS: Record<Station, StationEntry> = {
  brief: {
    title: "Brief",
    Tray: tray(() => import("./brief/BriefTray").then((m) => ({ default: m.BriefTray }))),
    layers: [],
    tools: [],
    line: ({ plan: { brief }, summary, catalogue }) => {
      const standard = catalogue.standards.find((s) => s.id === brief.standard)?.name;
      const { unit } = brief;
      const held = summary?.limits;
      return {
        words: `${held ? `${fine(held.held_h, unit, 0)} H · ${fine(held.held_v, unit, 0)} V ${fineUnit(unit)}, ` : ""}${standard}`,
        begun: !!brief.crs,
      };
    },
  },
  site: {
    title: "Site",
    Tray: tray(() => import("./site/SiteTray").then((m) => ({ default: m.SiteTray }))),
    views: SITE_VIEWS,
    layers: [contours, gaps, areas, things, boundary, preview, broughtIn],
    tools: [
      { places: "area", key: "A", words: "draw an area whose volume matters, corner by corner" },
      { places: "feature", key: "H", words: "draw a hazard, or whatever else is chosen under Site, features" },
    ],
    line: ({ plan, summary }) => ({
      words: summary?.area
        ? `${area(summary.area, plan.brief.unit)}${plan.site.ground.terrain ? "" : plan.site.ground.level ? " · level ground" : " · no terrain"}`
        : "no boundary",
      begun: plan.site.boundary.length > 0,
    }),
  },
  flight: {
    title: "Flight",
    Tray: tray(() => import("./flight/FlightTray").then((m) => ({ default: m.FlightTray }))),
    layers: [strips, exposures, ownStrips, sorties, takeOffs],
    tools: [],
    views: FLIGHT_VIEWS,
    line: ({ summary }) => {
      const flown = summary?.flights ?? [];
      const sum = (of: (f: (typeof flown)[number]) => number) => flown.reduce((total, f) => total + of(f), 0);
      const several = flown.length > 1 ? `${flown.length} flights · ` : "";
      const exposures = sum((f) => f.exposures);
      const taken = exposures ? `${exposures} exposures` : `${sum((f) => f.strips.length)} lines scanned`;
      return {
        words: flown.length ? `${several}${taken} · ${sum((f) => f.minutes).toFixed(0)} min` : "no area to fly",
        begun: flown.length > 0,
      };
    },
  },
  base: {
    title: "Base",
    Tray: tray(() => import("./base/BaseTray").then((m) => ({ default: m.BaseTray }))),
    views: BASE_VIEWS,
    layers: [unreached, localPoints, basePlaces],
    tools: [{ places: "base", key: "O", words: "place the base on a new mark" }],
    line: ({ plan, summary }) => {
      const chain = summary?.heights[0];
      const marks = new Set(plan.setups.map((s) => s.mark).filter(Boolean));
      const more = marks.size > 1 ? ` and ${marks.size - 1} more` : "";
      const { unit } = plan.brief;
      const on = plan.flights.find((f) => f.positioned_from?.on === "service")?.positioned_from;
      const network = on?.on === "service" ? plan.correction_services.find((n) => n.id === on.service)?.name : "";
      return {
        words: chain
          ? `${chain.mark_name}${more} · ARP ${length(chain.arp_above_mark, unit)} ${UNITS[unit]!.short}`
          : network || "no mark chosen",
        begun: marks.size > 0 || !!network,
      };
    },
  },
  control: {
    title: "Control",
    Tray: tray(() => import("./control/ControlTray").then((m) => ({ default: m.ControlTray }))),
    views: CONTROL_VIEWS,
    layers: [proposedLayout, points, labels],
    tools: [
      { places: "target", key: "G", words: "place a control point: a click, or Enter for the middle of the sheet" },
      { places: "check", key: "K", words: "place a check point" },
    ],
    line: ({ plan }) => {
      const targets = plan.control.filter((p) => p.role === "target").length;
      return {
        words: `${counted(targets, "control point")} · ${counted(plan.control.length - targets, "check point")}`,
        begun: plan.control.length > 0,
      };
    },
  },
  verdict: {
    title: "Verdict",
    Tray: tray(() => import("./verdict/VerdictTray").then((m) => ({ default: m.VerdictTray }))),
    layers: [cells, ellipses],
    tools: [],
    line: ({ result, undetermined }) => ({
      words: undetermined
        ? "undetermined"
        : result
          ? result.chance === null
            ? "no check points"
            : `passes ${chance(result.chance)}`
          : "waits for the plan",
      begun: !!result || !!undetermined,
    }),
  },
  day: {
    title: "Day",
    Tray: tray(() => import("./day/DayTray").then((m) => ({ default: m.DayTray }))),
    layers: [round],
    tools: [],
    line: ({ plan: { visits } }) => {
      const [visit] = visits;
      const more = visits.length > 1 ? ` and ${visits.length - 1} more` : "";
      const people = visit?.people.length === 1 ? "1 person" : `${visit?.people.length} people`;
      return { words: visit ? `${visit.date || "no date"}, ${people}${more}` : "no visit", begun: !!visit };
    },
  },
  book: {
    title: "Book",
    Tray: tray(() => import("./book/BookTray").then((m) => ({ default: m.BookTray }))),
    layers: [],
    tools: [],
    line: ({ plan }) => ({ words: plan.visits.length ? "what was really done" : "no visit", begun: false }),
  },
  close: {
    title: "Close",
    Tray: tray(() => import("./close/CloseTray").then((m) => ({ default: m.CloseTray }))),
    views: CLOSE_VIEWS,
    layers: [residuals],
    tools: [],
    line: ({ close }) => {
      if (close?.frozen) return { words: "signed and frozen", begun: true };
      if (!close?.verdict) return { words: "no residuals yet", begun: false };
      return { words: close.verdict.passed ? "keeps its tolerance" : "does not keep its tolerance", begun: true };
    },
  },
};

const ENTRIES = STATION_IDS.map((id) => STATIONS[id]);

/** The sheet's layers of all stations, from the ground up. */
export const LAYERS = ENTRIES.flatMap((entry) => entry.layers).sort((a, b) => a.rank - b.rank);

/** What can be placed, in the order of the line; each by a key of its own. */
export const TOOLS = ENTRIES.flatMap((entry) => entry.tools);
