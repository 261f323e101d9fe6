import { usePlan } from "./plan";

/** The clock of the day, collapsed: today the legs one after another with the minutes between; the Day station comes later. */
export function Ribbon() {
  const { summary } = usePlan();
  const legs = summary?.flights.flatMap((f) => f.legs) ?? [];
  const total = legs.reduce((sum, leg) => sum + leg.minutes, 0);
  return (
    <footer className="flex h-7 items-center gap-3 bg-band px-3 text-sm text-band-ink">
      <span className="font-medium whitespace-nowrap">Air time</span>
      <span className="flex h-2.5 flex-1 gap-0.5">
        {legs.map((leg, k) => (
          <span
            key={k}
            title={`leg ${k + 1}: ${leg.minutes.toFixed(1)} min, lands with ${leg.battery_left.toFixed(0)} %`}
            style={{ flexGrow: leg.minutes, background: k % 2 ? "var(--in-1)" : "var(--out-1)" }}
          />
        ))}
      </span>
      <span className="figures whitespace-nowrap">
        {legs.length
          ? `${legs.length} ${legs.length > 1 ? "legs" : "leg"} · ${total.toFixed(0)} min · lands with ${Math.min(...legs.map((l) => l.battery_left)).toFixed(0)} % or more`
          : "no flight yet"}
      </span>
      <span className="whitespace-nowrap opacity-80">? shortcuts</span>
    </footer>
  );
}
