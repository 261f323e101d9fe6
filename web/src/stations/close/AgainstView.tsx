import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { chance, fineUnit, percent } from "../../lib/units";
import { Fine } from "../../ui/Fine";
import type { CloseViewProps } from "./CloseTray";

/** Planned, as done, achieved; and whether a block as predicted would show this. */
export function AgainstView({ close }: CloseViewProps) {
  const { plan } = usePlan();
  const { select } = useSelection();
  const { unit } = plan.brief;
  const { against } = close;
  if (!against) return <p>Nothing is held against the prediction yet.</p>;
  return (
    <>
      <div className="grid grid-cols-[repeat(auto-fit,minmax(min(100%,330px),1fr))] gap-x-8 gap-y-3">
        <section aria-label="Promised and achieved">
          <table className="table" data-testid="promised">
            <thead>
              <tr>
                <th>RMSE, {fineUnit(unit)}</th>
                <th className="num">H at check points</th>
                <th className="num">V at check points</th>
                <th className="num">to pass</th>
              </tr>
            </thead>
            <tbody>
              {close.promised.map((p) => (
                <tr key={p.name}>
                  <td>
                    {p.name === "planned" ? "▷ planned" : "◮ as done"}
                    {p.state && `, ${p.state}`}
                  </td>
                  <td className="num">
                    <Fine value={p.seen_h} unit={unit} />
                  </td>
                  <td className="num">
                    <Fine value={p.seen_v} unit={unit} />
                  </td>
                  <td className="num">{p.chance === null ? "–" : chance(p.chance)}</td>
                </tr>
              ))}
              <tr className="font-bold">
                <td>◀ achieved</td>
                <td className="num">
                  <Fine value={against.rmse_h} unit={unit} />
                </td>
                <td className="num">
                  <Fine value={against.rmse_v} unit={unit} />
                </td>
                <td className="num">–</td>
              </tr>
            </tbody>
          </table>
          {!close.book_kept && (
            <p className="mt-1 text-sm text-quiet">No book was kept: as done is as planned, but for the points used.</p>
          )}
        </section>
        <section aria-label="In words">
          <ul className="list-disc pl-5" data-testid="against-words">
            {against.words.map((line) => (
              <li key={line}>{line}</li>
            ))}
            {close.contradictions.map((line) => (
              <li key={line} className="text-decision-text">
                {line}
              </li>
            ))}
          </ul>
        </section>
      </div>
      <h3 className="mt-3 font-bold">Each check, given the others</h3>
      <div className="overflow-x-auto">
        <table className="table text-sm" data-testid="own-tests">
          <thead>
            <tr>
              <th>{fineUnit(unit)}</th>
              <th className="num">E</th>
              <th className="num">N</th>
              <th className="num">up</th>
              <th className="num max-[600px]:hidden">expected E</th>
              <th className="num max-[600px]:hidden">N</th>
              <th className="num max-[600px]:hidden">up</th>
              <th className="num max-[600px]:hidden">± up</th>
              <th className="num">probability of a larger one (p)</th>
            </tr>
          </thead>
          <tbody>
            {against.checks.map((c) => (
              <tr key={c.point} className={c.stands_out ? "bg-decision-wash font-bold" : ""}>
                <td>
                  <button className="cursor-pointer underline" onClick={() => select(`control/${c.point}`)}>
                    {c.name}
                  </button>
                </td>
                {[...c.d, ...c.expected, c.sigma[2]].map((value, k) => (
                  <td key={k} className={`num ${k > 2 ? "max-[600px]:hidden" : ""}`}>
                    <Fine value={value} unit={unit} />
                  </td>
                ))}
                <td className="num">
                  {c.larger < 0.01 ? percent(c.larger, 2) : percent(c.larger)}
                  {c.stands_out && " ◆"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}
