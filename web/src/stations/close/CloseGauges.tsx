import type { Close } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fineUnit, percent } from "../../lib/units";
import { Gauges, UNMARKED } from "../../plots/Gauges";
import { Fine } from "../../ui/Fine";

/** At Close: planned, as done and achieved, all as the checks see it. */
export function CloseGauges({ close, limits }: { close: Close; limits: { h: number; v: number | null } }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  const of = (name: string) => close.promised.find((p) => p.name === name);
  const [planned, done, { test, ...against }] = [of("planned"), of("as done"), close.against!];
  const rod = (axis: "h" | "v") => ({
    ...UNMARKED,
    name: axis.toUpperCase(),
    limit: limits[axis] || null,
    planned: planned?.[`seen_${axis}`] ?? null,
    done: done?.[`seen_${axis}`] ?? null,
    achieved: against[`rmse_${axis}`],
  });
  const rows = [
    { name: "▷ planned", h: planned?.seen_h, v: planned?.seen_v },
    { name: "◮ as done", h: done?.seen_h, v: done?.seen_v },
    { name: "◀ achieved", h: against.rmse_h, v: against.rmse_v },
  ];
  const says = { "as predicted": "● as predicted", worse: "◆ worse than predicted", better: "◆ better than predicted" };
  return (
    <aside
      className="flex flex-col gap-2 overflow-y-auto border-l border-ink bg-sheet px-3 py-2"
      aria-label="Accuracy gauges"
    >
      <Gauges rods={[rod("h"), rod("v")]} unit={unit} />
      <p className="flex justify-between text-sm">
        <span className="text-settled">▷ planned</span>
        <span>◮ as done</span>
        <span className="font-bold">◀ achieved</span>
      </p>
      <table className="table text-sm">
        <thead>
          <tr>
            <th className="!static !whitespace-normal">RMSE at the check points, {fineUnit(unit)}</th>
            <th className="num !static">H</th>
            <th className="num !static">V</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.name}>
              <td>{row.name}</td>
              <td className="num">
                <Fine value={row.h} unit={unit} />
              </td>
              <td className="num">
                <Fine value={row.v} unit={unit} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {close.verdict && (
        <p
          className={`font-bold ${close.verdict.passed && !close.verdict.unmet.length ? "text-settled" : "text-decision-text"}`}
        >
          {!close.verdict.passed
            ? "◆ does not keep its tolerance"
            : close.verdict.unmet.length
              ? "◐ within its figures; what the standard asks is not met"
              : "● keeps its tolerance"}
        </p>
      )}
      <p>
        <strong className={test.says === "as predicted" ? "text-settled" : "text-decision-text"}>
          {says[test.says]}
        </strong>
        : of blocks as predicted <span className="whitespace-nowrap">{percent(against.larger_h)}</span> show as much or
        more in H, <span className="whitespace-nowrap">{percent(against.larger_v)}</span> in V.
      </p>
      {done && (
        <p className="text-sm">
          On the map, absolute, as done: H <Fine value={done.rmse_h} unit={unit} />, V{" "}
          <Fine value={done.rmse_v} unit={unit} /> {fineUnit(unit)}. {close.blind[0]}
        </p>
      )}
    </aside>
  );
}
