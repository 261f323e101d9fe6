import { useMemo, useState, type Dispatch, type ReactNode, type SetStateAction } from "react";
import type { SiteFeature } from "../../api/client";
import { empty, required } from "./context";

/** What the next click on the sheet places; a take-off place is that of a flight. */
export type Placing = "target" | "check" | "base" | "area" | "feature" | `take-off/${string}` | null;

/** Where the sheet is wanted: over a place, or over the whole site. */
export type GoTo = { e: number; n: number } | { whole: true };

/** What is chosen on the sheet, and what the next click there does; nothing here is part of the plan. */
interface Selection {
  selected: string | null;
  select: (value: string | null) => void;
  placing: Placing;
  setPlacing: (value: Placing) => void;
  /** What the next thing is that is drawn on the site, and how. */
  drawn: Pick<SiteFeature, "kind" | "shape">;
  setDrawn: (value: Pick<SiteFeature, "kind" | "shape">) => void;
  /** A point on its way by arrow keys, not yet sent. */
  draft: { object: string; e: number; n: number } | null;
  setDraft: (value: { object: string; e: number; n: number } | null) => void;
  /** The points that are ticked in the Control table, by id. */
  marked: Record<string, boolean>;
  setMarked: Dispatch<SetStateAction<Record<string, boolean>>>;
  goTo: GoTo | null;
  setGoTo: (value: GoTo | null) => void;
}

const Context = empty<Selection>();
export const useSelection = required(Context, "useSelection");

export function SelectionProvider({ children }: { children: ReactNode }) {
  const [selected, select] = useState<string | null>(null);
  const [placing, setPlacing] = useState<Placing>(null);
  const [drawn, setDrawn] = useState<Pick<SiteFeature, "kind" | "shape">>({ kind: "hazard", shape: "area" });
  const [draft, setDraft] = useState<{ object: string; e: number; n: number } | null>(null);
  const [goTo, setGoTo] = useState<GoTo | null>(null);
  const [marked, setMarked] = useState<Record<string, boolean>>({});
  const value = useMemo(
    () => ({
      selected,
      select,
      placing,
      setPlacing,
      drawn,
      setDrawn,
      draft,
      setDraft,
      goTo,
      setGoTo,
      marked,
      setMarked,
    }),
    [selected, placing, drawn, draft, goTo, marked],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
