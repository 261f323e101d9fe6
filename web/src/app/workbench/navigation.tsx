import { useCallback, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import { useNavigate, useParams } from "react-router";
import type { Sent } from "../../api/client";
import { STATION_IDS, type Station } from "../../stations/ids";
import { empty, required } from "./context";

export type { Station } from "../../stations/ids";

/** A file on its way to the station that reads it, as what. */
export interface Carried {
  to: "boundary" | "points" | "terrain" | "features" | "backdrop" | "flown";
  fields: Sent;
}

/** Which station and view are open, as the address has it, and what is carried there. */
interface Navigation {
  station: Station;
  open: (station: Station, view?: string) => void;
  /** The view of the open station; empty for its first. */
  view: string;
  openView: (view: string) => void;
  /** What was dropped, or given before there was a grid to read it in: its station reads it. */
  carried: Carried | null;
  carry: (carried: Carried | null) => void;
}

const Context = empty<Navigation>();
export const useNavigation = required(Context, "useNavigation");

export function NavigationProvider({ children }: { children: ReactNode }) {
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
  const [carried, carry] = useState<Carried | null>(null);
  const value = useMemo(
    () => ({ station, open, view, openView, carried, carry }),
    [station, open, view, openView, carried],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
