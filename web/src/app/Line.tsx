import { STATION_IDS, type Station } from "../stations/ids";
import { STATIONS } from "../stations/registry";
import { useClose } from "../stations/close/useClose";
import { Mark, type State } from "../ui/Mark";
import { usePlan } from "./plan";
import type { Posture } from "./Job";
import { useNavigation } from "./workbench/navigation";

/** The nine stations on a traverse line; state by shape as well as colour. */
export function Line() {
  const { station, open } = useNavigation();
  const lines = useStationLines();
  return (
    <nav aria-label="Stations" className="overflow-y-auto border-r border-hairline bg-paper py-2">
      <ol>
        {STATION_IDS.map((key, k) => (
          <li key={key} className="relative">
            {k < STATION_IDS.length - 1 && (
              <span className="absolute top-5 bottom-[-18px] left-[21.5px] w-px bg-hairline" />
            )}
            <button
              className={`relative grid w-full cursor-pointer grid-cols-[32px_1fr] items-start px-1.5 py-2.5 text-left hover:bg-sheet ${
                station === key ? "border-y border-ink bg-sheet" : "border-y border-transparent"
              }`}
              aria-current={station === key ? "step" : undefined}
              onClick={() => open(key)}
            >
              <span className="flex justify-center">
                <Mark state={lines[key].state} />
              </span>
              <span>
                <span className="text-quiet">{k + 1}</span> <strong>{STATIONS[key].title}</strong>
                <span className="block text-sm text-quiet">{lines[key].words}</span>
              </span>
            </button>
          </li>
        ))}
      </ol>
    </nav>
  );
}

/** The line of a narrow screen: nine numbers with their states, the open station's name beside its own. */
export function Strip({ posture, stand }: { posture: Posture; stand: (posture: Posture) => void }) {
  const { station, open } = useNavigation();
  const lines = useStationLines();
  return (
    <nav
      aria-label="Stations"
      className="col-span-full flex min-h-[44px] items-stretch border-b border-hairline bg-paper"
    >
      <ol className="flex min-w-0 flex-1">
        {STATION_IDS.map((key, k) => (
          <li key={key} className={`flex ${station === key ? "min-w-0 flex-1" : ""}`}>
            <button
              className={`flex min-w-[42px] cursor-pointer items-center justify-center gap-1 px-1 hover:bg-sheet ${
                station === key ? "min-w-0 flex-1 border-x border-ink bg-sheet" : ""
              }`}
              aria-current={station === key ? "step" : undefined}
              onClick={() => open(key)}
              title={`${STATIONS[key].title}: ${lines[key].words}`}
            >
              <Mark state={lines[key].state} />
              <span className="text-quiet">{k + 1}</span>
              <strong className={station === key ? "" : "sr-only"}>{STATIONS[key].title}</strong>
              {station === key && (
                <span className="hidden min-w-0 truncate text-sm text-quiet min-[900px]:inline">
                  {lines[key].words}
                </span>
              )}
            </button>
          </li>
        ))}
      </ol>
      <button
        className="cursor-pointer border-l border-hairline px-2 text-sm whitespace-nowrap hover:bg-sheet"
        aria-pressed={posture === "raised"}
        onClick={() => stand("raised")}
        title={posture === "raised" ? "The sheet back (T)" : "The sheet away: the work alone (T)"}
      >
        {posture === "raised" ? "sheet ▾" : "sheet ▴"}
      </button>
    </nav>
  );
}

function useStationLines(): Record<Station, { words: string; state: State }> {
  const { plan, summary, result, undetermined, findings, catalogue } = usePlan();
  const close = useClose(plan.visits.length > 0); // before a visit is planned there is nothing to close
  const troubled = new Set<string>(findings?.filter((f) => f.severity !== "note").map((f) => f.station));
  if (close?.verdict && !close.verdict.passed) troubled.add("close");
  for (const lack of summary?.lacks ?? []) troubled.add(lack.station);
  const lines = STATION_IDS.map((id) => {
    const { words, begun } = STATIONS[id].line({ plan, summary, result, undetermined, catalogue, close });
    const state: State = !begun ? "hollow" : troubled.has(id) ? "half" : "solid";
    return [id, { words, state }];
  });
  return Object.fromEntries(lines) as Record<Station, { words: string; state: State }>;
}
