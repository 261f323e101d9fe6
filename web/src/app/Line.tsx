import { area, chance, mm } from "../lib/units";
import { usePlan } from "./plan";
import { STATIONS, TITLES, useWorkbench, type Station } from "./workbench";

type State = "hollow" | "half" | "solid";

/** The nine stations on a traverse line; state by shape as well as colour. */
export function Line() {
  const { station, open } = useWorkbench();
  const lines = useStationLines();
  return (
    <nav aria-label="Stations" className="overflow-y-auto border-r border-hairline bg-paper py-2">
      <ol>
        {STATIONS.map((key, k) => (
          <li key={key} className="relative">
            {k < STATIONS.length - 1 && (
              <span className="absolute top-5 bottom-[-18px] left-[21.5px] w-px bg-hairline" />
            )}
            <button
              className={`relative grid w-full cursor-pointer grid-cols-[32px_1fr] items-start px-1.5 py-2.5 text-left hover:bg-sheet ${
                station === key ? "border-y border-ink bg-sheet" : "border-y border-transparent"
              }`}
              aria-current={station === key ? "step" : undefined}
              onClick={() => open(key)}
            >
              <Mark state={lines[key].state} />
              <span>
                <span className="text-quiet">{k + 1}</span> <strong>{TITLES[key]}</strong>
                <span className="block text-sm text-quiet">{lines[key].words}</span>
              </span>
            </button>
          </li>
        ))}
      </ol>
    </nav>
  );
}

function Mark({ state }: { state: State }) {
  const colour = state === "solid" ? "var(--settled)" : state === "half" ? "var(--decision)" : "var(--quiet)";
  const label = { solid: "settled", half: "needs attention", hollow: "not begun" }[state];
  return (
    <svg viewBox="0 0 20 20" className="mx-auto mt-0.5 size-[18px]" role="img" aria-label={label}>
      <circle cx="10" cy="10" r="7" fill="var(--paper)" stroke={colour} strokeWidth="1.8" />
      {state === "solid" && <circle cx="10" cy="10" r="7" fill={colour} />}
      {state === "half" && <path d="M10 3a7 7 0 0 1 0 14z" fill={colour} />}
    </svg>
  );
}

function useStationLines(): Record<Station, { words: string; state: State }> {
  const { plan, summary, prediction, result, catalogue } = usePlan();
  const troubled = new Set(prediction?.findings?.filter((f) => f.severity !== "note").map((f) => f.station));
  const lacking = new Set(summary?.lacks.map((l) => l.station));
  const state = (station: Station, begun: boolean): State =>
    !begun ? "hollow" : troubled.has(station) || lacking.has(station) ? "half" : "solid";
  const { brief } = plan;
  const standard = catalogue.standards.find((s) => s.id === brief.standard)?.name;
  const targets = plan.control.filter((p) => p.role === "target").length;
  const mark = plan.marks.find((m) => m.id === plan.base.mark);
  const later = { words: "comes later", state: "hollow" as State };
  return {
    brief: {
      words: `${mm(brief.tolerance_h, 0)} H · ${mm(brief.tolerance_v, 0)} V mm, ${standard}`,
      state: state("brief", !!brief.crs),
    },
    site: {
      words: summary?.area ? `${area(summary.area, brief.unit)}${plan.terrain ? "" : " · no terrain"}` : "no boundary",
      state: state("site", plan.site.boundary.length > 0),
    },
    flight: {
      words: summary?.flight
        ? `${summary.flight.exposures} exposures · ${summary.flight.minutes.toFixed(0)} min`
        : "no area to fly",
      state: state("flight", !!summary?.flight),
    },
    base: {
      words:
        mark && summary?.heights
          ? `${mark.name} · ARP ${summary.heights.arp_above_mark.toFixed(3)} m`
          : "no mark chosen",
      state: state("base", !!mark),
    },
    control: {
      words: `${targets} targets · ${plan.control.length - targets} checks`,
      state: state("control", plan.control.length > 0),
    },
    verdict: {
      words: result?.defects.length
        ? "undetermined"
        : result?.chance != null
          ? `passes ${chance(result.chance)}`
          : result
            ? "no checks"
            : "waits for the plan",
      state: state("verdict", !!result),
    },
    day: later,
    book: later,
    close: later,
  };
}
