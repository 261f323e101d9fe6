import { useDay } from "../stations/day/useDay";
import { usePlan } from "./plan";
import { useNavigation } from "./workbench/navigation";

/** The clock of the day, collapsed: the next visit in a sentence, or as long as there is none the sorties one after another. It opens
 * into the Day. */
export function Ribbon() {
  const { plan, summary } = usePlan();
  const { open } = useNavigation();
  const { day } = useDay(plan.visits[0]);
  const sorties = summary?.flights.flatMap((f) => f.sorties) ?? [];
  const total = sorties.reduce((sum, sortie) => sum + sortie.minutes, 0);
  return (
    <footer className="flex min-h-7 items-center max-[1099px]:py-1 gap-3 bg-band px-3 text-sm text-band-ink">
      {day && (
        <button className="min-w-0 cursor-pointer truncate underline" title={day.told} onClick={() => open("day")}>
          {day.told}
        </button>
      )}
      {!day && <span className="font-medium whitespace-nowrap">Air time</span>}
      <span className="flex h-2.5 flex-1 gap-0.5">
        {sorties.map((sortie, k) => (
          <span
            key={k}
            title={`sortie ${k + 1}: ${sortie.minutes.toFixed(1)} min, lands with ${sortie.battery_left.toFixed(0)} %`}
            style={{ flexGrow: sortie.minutes, background: k % 2 ? "var(--in-1)" : "var(--out-1)" }}
          />
        ))}
      </span>
      <span className="figures whitespace-nowrap">
        {sorties.length
          ? `${sorties.length} ${sorties.length > 1 ? "sorties" : "sortie"} · ${total.toFixed(0)} min · lands with ${Math.min(...sorties.map((l) => l.battery_left)).toFixed(0)} % or more`
          : "no flight yet"}
      </span>
      <span className="whitespace-nowrap opacity-80">? shortcuts</span>
    </footer>
  );
}
