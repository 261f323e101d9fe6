import { createContext, useContext, useMemo, useState, type ReactNode } from "react";
import type { Result } from "../api/client";

export const STATIONS = ["brief", "site", "flight", "base", "control", "verdict", "day", "book", "close"] as const;
export type Station = (typeof STATIONS)[number];
export const TITLES: Record<Station, string> = {
  brief: "Brief",
  site: "Site",
  flight: "Flight",
  base: "Base",
  control: "Control",
  verdict: "Verdict",
  day: "Day",
  book: "Book",
  close: "Close",
};

export const LAYERS = ["v", "h", "images", "none"] as const;
export type ErrorLayer = (typeof LAYERS)[number];
export type Placing = "target" | "check" | "base" | null;

/** What is open and chosen on the sheet; nothing here is part of the plan. */
interface Workbench {
  station: Station;
  open: (station: Station) => void;
  selected: string | null;
  select: (object: string | null) => void;
  layer: ErrorLayer;
  setLayer: (layer: ErrorLayer) => void;
  placing: Placing;
  setPlacing: (placing: Placing) => void;
  preview: [number, number][] | null;
  setPreview: (ring: [number, number][] | null) => void;
  /** A point on its way by arrow keys, not yet sent. */
  draft: { object: string; e: number; n: number } | null;
  setDraft: (draft: { object: string; e: number; n: number } | null) => void;
  pinned: Result | null;
  setPinned: (result: Result | null) => void;
  goTo: { e: number; n: number } | null;
  setGoTo: (place: { e: number; n: number } | null) => void;
}

const Bench = createContext<Workbench | null>(null);

export function useWorkbench(): Workbench {
  const bench = useContext(Bench);
  if (!bench) throw new Error("useWorkbench outside of its provider");
  return bench;
}

export function WorkbenchProvider({ children }: { children: ReactNode }) {
  const [station, open] = useState<Station>("control");
  const [selected, select] = useState<string | null>(null);
  const [layer, setLayer] = useState<ErrorLayer>("v");
  const [placing, setPlacing] = useState<Placing>(null);
  const [preview, setPreview] = useState<[number, number][] | null>(null);
  const [draft, setDraft] = useState<{ object: string; e: number; n: number } | null>(null);
  const [pinned, setPinned] = useState<Result | null>(null);
  const [goTo, setGoTo] = useState<{ e: number; n: number } | null>(null);
  const value = useMemo(
    () => ({
      station,
      open,
      selected,
      select,
      layer,
      setLayer,
      placing,
      setPlacing,
      preview,
      setPreview,
      draft,
      setDraft,
      pinned,
      setPinned,
      goTo,
      setGoTo,
    }),
    [station, selected, layer, placing, preview, draft, pinned, goTo],
  );
  return <Bench.Provider value={value}>{children}</Bench.Provider>;
}
