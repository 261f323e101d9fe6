import type { ReactNode } from "react";
import { TITLES, useWorkbench, type Station } from "../app/workbench";
import { BaseTray } from "./base/BaseTray";
import { BriefTray } from "./brief/BriefTray";
import { ControlTray } from "./control/ControlTray";
import { FlightTray } from "./flight/FlightTray";
import { SiteTray } from "./site/SiteTray";
import { VerdictTray } from "./verdict/VerdictTray";

const TRAYS: Partial<Record<Station, () => ReactNode>> = {
  brief: BriefTray,
  site: SiteTray,
  flight: FlightTray,
  base: BaseTray,
  control: ControlTray,
  verdict: VerdictTray,
};

const LATER: Partial<Record<Station, string>> = {
  day: "People, kit, tasks and windows on one clock: base first out, last in.",
  book: "What really happened: set-ups, heights measured twice, occupations, flights, incidents.",
  close: "Residuals at checks, the verdict against tolerance and against prediction, diagnosis and report.",
};

/** The open station's work. */
export function Tray() {
  const { station } = useWorkbench();
  const Body = TRAYS[station];
  return (
    <section
      aria-label={TITLES[station]}
      className="min-h-0 flex-1 overflow-auto px-3.5 py-2"
      data-testid={`tray-${station}`}
    >
      {Body ? (
        <Body />
      ) : (
        <>
          <h2 className="text-lg font-bold">{TITLES[station]}</h2>
          <p className="mt-1">{LATER[station]}</p>
          <p className="mt-1 text-quiet">This station is not built yet. Nothing of your plan depends on it.</p>
        </>
      )}
    </section>
  );
}

export function Heading({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
      <h2 className="text-lg font-bold">{title}</h2>
      {children}
    </div>
  );
}
