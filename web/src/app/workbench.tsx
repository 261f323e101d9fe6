import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useRef,
  useState,
  type Dispatch,
  type ReactNode,
  type SetStateAction,
} from "react";
import { useNavigate, useParams } from "react-router";
import type { Plan, Result, Sent, SiteFeature, Spot } from "../api/client";
import { STATION_IDS, type Station } from "../stations/ids";

export type { Station } from "../stations/ids";

export const LAYERS = ["v", "h", "images", "none"] as const;
export type ErrorLayer = (typeof LAYERS)[number];
/** What the next click on the sheet places; a take-off place is that of a flight. */
export type Placing = "target" | "check" | "base" | "area" | "feature" | `take-off/${string}` | null;

/** Things of a file: places, and lines and areas as rings that are closed or not. */
export interface Brought {
  places: [number, number][];
  lines: { vertices: [number, number][]; closed: boolean }[];
}

/** A file on its way to the station that reads it, as what. */
export interface Carried {
  to: "boundary" | "points" | "terrain" | "features" | "backdrop" | "flown";
  fields: Sent;
}

/** A prediction kept with the plan it belongs to. */
export interface Pin {
  name: string;
  plan: Plan;
  result: Result;
}

/** The pins with one more of this plan, or without it where it is pinned already. */
export function repinned(pins: Pin[], plan: Plan, result: Result | null): Pin[] {
  if (!result) return pins;
  if (pins.some((p) => p.result.hash === result.hash)) return pins.filter((p) => p.result.hash !== result.hash);
  const last = pins.at(-1)?.name ?? "pin 0";
  return [...pins.slice(-5), { name: `pin ${Number(last.slice(4)) + 1}`, plan, result }];
}

/** Cells that fill the sheet, row by row from the south: a byte each, 255 where there is nothing to say. */
export interface Covered {
  title: "images" | "strips" | "pixels" | "pulses" | "ground";
  e0: number;
  n0: number;
  step: number;
  rows: number;
  cols: number;
  cells: Uint8Array;
  /** What one of a byte is worth, and from where on that is good. */
  worth: number;
  good: number;
  muchIsGood: boolean;
}

/** Where the sheet is wanted: over a place, or over the whole site. */
export type GoTo = { e: number; n: number } | { whole: true };

/** What is open and chosen on the sheet; nothing here is part of the plan. The open station stands in the address. */
interface Workbench {
  station: Station;
  open: (station: Station, view?: string) => void;
  /** The view of the open station, as the address has it; empty for its first. */
  view: string;
  openView: (view: string) => void;
  selected: string | null;
  select: (object: string | null) => void;
  layer: ErrorLayer;
  setLayer: (layer: ErrorLayer) => void;
  placing: Placing;
  setPlacing: (placing: Placing) => void;
  /** What the next thing is that is drawn on the site, and how. */
  drawn: { kind: SiteFeature["kind"]; shape: SiteFeature["shape"] };
  setDrawn: (drawn: Workbench["drawn"]) => void;
  preview: [number, number][] | null;
  setPreview: (ring: [number, number][] | null) => void;
  /** A point on its way by arrow keys, not yet sent. */
  draft: { object: string; e: number; n: number } | null;
  setDraft: (draft: { object: string; e: number; n: number } | null) => void;
  /** Predictions kept to compare, the newest last. */
  pins: Pin[];
  setPins: (pins: Pin[]) => void;
  /** Whether a pin was asked for; it is set once the figures of the plan as it stands are there. */
  pinning: boolean;
  setPinning: (pinning: boolean) => void;
  /** What was dropped, or given before there was a grid to read it in: its station reads it. */
  carried: Carried | null;
  carry: (carried: Carried | null) => void;
  /** Paths of the points that the chosen task of the day goes round, in their order. */
  round: string[];
  /** The way that it takes over the site; empty: straight. */
  way: [number, number][];
  setRound: (paths: string[], way?: [number, number][]) => void;
  /** The picture under the drawing: the plan's row, and how strong it is shown. */
  backdrop: { id: string; opacity: number } | null;
  setBackdrop: (backdrop: Workbench["backdrop"]) => void;
  /** What a file would bring in, looked at before it is taken. */
  brought: Brought | null;
  setBrought: (brought: Brought | null) => void;
  /** What of the flights' coverage fills the sheet while it is looked at. */
  covered: Covered | null;
  setCovered: (covered: Covered | null) => void;
  /** Points of a layout that is looked at before it is taken. */
  proposed: Spot[] | null;
  setProposed: (points: Spot[] | null) => void;
  /** The points that are ticked in the Control table, by id. */
  marked: Record<string, boolean>;
  setMarked: Dispatch<SetStateAction<Record<string, boolean>>>;
  goTo: GoTo | null;
  setGoTo: (place: GoTo | null) => void;
}

const Bench = createContext<Workbench | null>(null);

/** The same where there is no job: nothing. */
export const useWorkbenchIfAny = () => useContext(Bench);

export function useWorkbench(): Workbench {
  const bench = useContext(Bench);
  if (!bench) throw new Error("useWorkbench outside of its provider");
  return bench;
}

export function WorkbenchProvider({ children }: { children: ReactNode }) {
  const { jobId, station: wanted, view = "" } = useParams();
  const navigate = useNavigate();
  const station = STATION_IDS.find((id) => id === wanted) ?? "brief";
  // where one is going: another station may be on its way while this one is still drawn
  const coming = useRef(wanted);
  useEffect(() => {
    coming.current = wanted;
  }, [wanted]);
  const open = useCallback(
    (next: Station, nextView = "") => {
      if (next === coming.current && !nextView) return;
      coming.current = next;
      void navigate(`/jobs/${jobId}/${next}${nextView && `/${nextView}`}`);
    },
    [jobId, navigate],
  );
  const openView = useCallback(
    (next: string) => void navigate(`/jobs/${jobId}/${station}/${next}`),
    [jobId, station, navigate],
  );
  const [selected, select] = useState<string | null>(null);
  const [layer, setLayer] = useState<ErrorLayer>("v");
  const [placing, setPlacing] = useState<Placing>(null);
  const [drawn, setDrawn] = useState<Workbench["drawn"]>({ kind: "hazard", shape: "area" });
  const [preview, setPreview] = useState<[number, number][] | null>(null);
  const [draft, setDraft] = useState<{ object: string; e: number; n: number } | null>(null);
  const [pins, setPins] = useState<Pin[]>([]);
  const [pinning, setPinning] = useState(false);
  const [marked, setMarked] = useState<Record<string, boolean>>({});
  const [carried, carry] = useState<Carried | null>(null);
  const [{ round, way }, setRounded] = useState<{ round: string[]; way: [number, number][] }>({ round: [], way: [] });
  const setRound = useCallback((round: string[], way: [number, number][] = []) => setRounded({ round, way }), []);
  const [backdrop, setBackdrop] = useState<Workbench["backdrop"]>(null);
  const [brought, setBrought] = useState<Brought | null>(null);
  const [covered, setCovered] = useState<Covered | null>(null);
  const [proposed, setProposed] = useState<Spot[] | null>(null);
  const [goTo, setGoTo] = useState<GoTo | null>(null);
  const value = useMemo(
    () => ({
      station,
      open,
      view,
      openView,
      selected,
      select,
      layer,
      setLayer,
      placing,
      setPlacing,
      drawn,
      setDrawn,
      preview,
      setPreview,
      draft,
      setDraft,
      pins,
      setPins,
      pinning,
      setPinning,
      marked,
      setMarked,
      carried,
      carry,
      round,
      way,
      setRound,
      backdrop,
      setBackdrop,
      brought,
      setBrought,
      covered,
      setCovered,
      proposed,
      setProposed,
      goTo,
      setGoTo,
    }),
    [
      station,
      open,
      view,
      openView,
      selected,
      layer,
      placing,
      drawn,
      preview,
      draft,
      pins,
      pinning,
      marked,
      carried,
      round,
      way,
      setRound,
      backdrop,
      brought,
      covered,
      proposed,
      goTo,
    ],
  );
  return <Bench.Provider value={value}>{children}</Bench.Provider>;
}
