import { useContext, useCallback, useMemo, useState, type ReactNode } from "react";
import type { Spot } from "../../api/client";
import { empty, required } from "./context";

export const LAYERS = ["v", "h", "images", "none"] as const;
export type ErrorLayer = (typeof LAYERS)[number];
/** Things of a file: places, and lines and areas as rings that are closed or not. */
export interface Brought {
  places: [number, number][];
  lines: { vertices: [number, number][]; closed: boolean }[];
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

/** What lies over the drawing of the plan, while a view looks at it. */
interface Overlay {
  layer: ErrorLayer;
  setLayer: (value: ErrorLayer) => void;
  /** A ring that is looked at before it is taken. */
  preview: [number, number][] | null;
  setPreview: (value: [number, number][] | null) => void;
  /** Paths of the points that the chosen task of the day goes round, in their order, and the way that it takes; empty: straight. */
  round: string[];
  way: [number, number][];
  setRound: (paths: string[], way?: [number, number][]) => void;
  /** The picture under the drawing: the plan's row, and how strong it is shown. */
  backdrop: { id: string; opacity: number } | null;
  setBackdrop: (value: { id: string; opacity: number } | null) => void;
  /** What a file would bring in, looked at before it is taken. */
  brought: Brought | null;
  setBrought: (value: Brought | null) => void;
  /** What of the flights' coverage fills the sheet while it is looked at. */
  covered: Covered | null;
  setCovered: (value: Covered | null) => void;
  /** Points of a layout that is looked at before it is taken. */
  proposed: Spot[] | null;
  setProposed: (value: Spot[] | null) => void;
}

const Context = empty<Overlay>();
export const useOverlay = required(Context, "useOverlay");

/** The same where there is no job: nothing. */
export const useOverlayIfAny = () => useContext(Context);

export function OverlayProvider({ children }: { children: ReactNode }) {
  const [layer, setLayer] = useState<ErrorLayer>("v");
  const [preview, setPreview] = useState<[number, number][] | null>(null);
  const [backdrop, setBackdrop] = useState<{ id: string; opacity: number } | null>(null);
  const [brought, setBrought] = useState<Brought | null>(null);
  const [covered, setCovered] = useState<Covered | null>(null);
  const [proposed, setProposed] = useState<Spot[] | null>(null);
  const [{ round, way }, setRounded] = useState<{ round: string[]; way: [number, number][] }>({ round: [], way: [] });
  const setRound = useCallback((round: string[], way: [number, number][] = []) => setRounded({ round, way }), []);
  const value = useMemo(
    () => ({
      layer,
      setLayer,
      preview,
      setPreview,
      backdrop,
      setBackdrop,
      brought,
      setBrought,
      covered,
      setCovered,
      proposed,
      setProposed,
      round,
      way,
      setRound,
    }),
    [layer, preview, backdrop, brought, covered, proposed, round, way, setRound],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
