import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { call, type Problem, type Rounding, type Rounds } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { length } from "../../lib/units";
import { Select, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";

const PEOPLE = [1, 2, 3, 4].map((n) => ({ id: `${n}`, name: n === 1 ? "one person" : `${n} people` }));
const BY = [
  { id: "foot", name: "on foot" },
  { id: "vehicle", name: "with a vehicle along the paths" },
];

/** The rounds past all points: targets out, occupations, targets in; each drawn on the sheet while it is looked at. */
export function RoundView() {
  const { jobId, plan, answer } = usePlan();
  const { setRound } = useOverlay();
  const [people, setPeople] = useState("1");
  const [by, setBy] = useState("foot");
  const [shown, setShown] = useState(0);
  const found = useQuery<Rounds, Problem>({
    queryKey: ["rounds", jobId, answer.revision, people, by],
    queryFn: () => call("GET", `/jobs/${jobId}/control/rounds?people=${people}&by=${by}`),
    staleTime: Infinity,
    placeholderData: (previous) => previous,
  });
  const rounds = found.data?.rounds;
  const looked = rounds?.[Math.min(shown, rounds.length - 1)];
  useEffect(() => {
    if (looked)
      setRound(
        looked.stops.map((s) => s.about),
        wayOf(looked),
      );
    return () => setRound([]);
  }, [looked, setRound]);
  if (found.error) return <ProblemNote problem={found.error} onClose={() => void found.refetch()} />;
  const names = new Map(plan.control.map((p) => [`control/${p.id}`, p.name]));
  return (
    <section data-testid="rounds" className="min-h-0 flex-1 overflow-auto">
      <div className="flex flex-wrap items-center gap-2">
        <Select label="How many people" value={people} options={PEOPLE} onChange={setPeople} />
        <Select label="How one goes" value={by} options={BY} onChange={setBy} />
        <span>{found.data?.told ?? "Looking for the ways…"}</span>
      </div>
      {!!found.data?.unreached.length && (
        <p className="mt-1 border-l-4 border-decision bg-decision-wash px-2">
          No way leads to {found.data.unreached.join(", ")}: draw the gate or the path under Site, features, or move
          them.
        </p>
      )}
      {!!rounds?.length && (
        <table className="table mt-1 text-sm">
          <thead>
            <tr>
              <th>round</th>
              <th className="num">person</th>
              <th className="num">min</th>
              <th className="num">way, {unitName(plan.brief.unit)}</th>
              <th>points in their order, with the minute each is reached</th>
            </tr>
          </thead>
          <tbody>
            {rounds.map((one, k) => (
              <tr
                key={`${one.key}-${one.person}`}
                className={one === looked ? "bg-decision-wash" : "cursor-pointer"}
                onClick={() => setShown(k)}
              >
                <td>
                  <button className="cursor-pointer text-left underline" aria-pressed={one === looked}>
                    {one.words}
                  </button>
                  {one.not_before > 0 && (
                    <span className="text-quiet"> from {one.not_before.toFixed(0)} min after the first began</span>
                  )}
                </td>
                <td className="num">{one.person}</td>
                <td className="num figures font-bold">{Math.ceil(one.minutes)}</td>
                <td className="num figures">{length(one.metres, plan.brief.unit, 0)}</td>
                <td>{one.stops.map((s) => `${names.get(s.about) ?? s.about} ${Math.round(s.reached)}`).join(" · ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="mt-1 text-sm text-quiet">
        Ways keep off what nobody enters, cross walls and ditches at gates and paths, and are slower uphill. Whether one
        may go there is for the owner, and for your eyes.
      </p>
    </section>
  );
}

function wayOf(one: Rounding): [number, number][] {
  return [...one.stops.flatMap((s) => s.way), ...one.home];
}
