import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { fine, fineUnit, percent } from "../../lib/units";

/** Each target: how well the rest checks it, what a gross error could do unnoticed, and the map without it. */
export function TargetsLost() {
  const { plan, result } = usePlan();
  const { select, setGoTo } = useSelection();
  const { unit } = plan.brief;
  const rows = result?.reliability ?? [];
  if (!rows.length) return null;
  const outside = (value: number | null, limit: number | null) =>
    value === null || (limit !== null && value > limit) ? "text-decision-text font-bold" : "";
  return (
    <section className="mt-4">
      <h3 className="font-bold">Each control point: what if it is wrong, or lost?</h3>
      <table className="table">
        <thead>
          <tr>
            <th rowSpan={2}>control point</th>
            <th className="num" colSpan={2}>
              checked by the rest
            </th>
            <th className="num" colSpan={2}>
              smallest error found, {fineUnit(unit)}
            </th>
            <th className="num" colSpan={2}>
              one does to the worst place, {fineUnit(unit)}
            </th>
            <th className="num" colSpan={2}>
              map without it, {fineUnit(unit)}
            </th>
          </tr>
          <tr>
            {["H", "V", "H", "V", "H", "V", "H", "V"].map((axis, k) => (
              <th key={k} className="num">
                {axis}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => {
            const point = plan.control.find((p) => p.id === r.id);
            const found = r.found[0] === null || r.found[1] === null ? null : Math.max(r.found[0], r.found[1]);
            return (
              <tr key={r.id}>
                <td>
                  <button
                    className="cursor-pointer underline"
                    onClick={() => {
                      select(`control/${r.id}`);
                      if (point) setGoTo(point);
                    }}
                  >
                    {point?.name ?? r.id}
                  </button>
                </td>
                <td className="num">{percent(Math.min(r.redundancy[0], r.redundancy[1]))}</td>
                <td className="num">{percent(r.redundancy[2])}</td>
                <td className="num">{fine(found, unit, 0)}</td>
                <td className="num">{fine(r.found[2], unit, 0)}</td>
                <td className="num">{fine(r.effect_h, unit)}</td>
                <td className="num">{fine(r.effect_v, unit)}</td>
                <td className={`num ${outside(r.lost_h, result!.limit_h)}`}>
                  {r.lost_h === null ? "not determined" : fine(r.lost_h, unit)}
                </td>
                <td className={`num ${outside(r.lost_v, result!.limit_v)}`}>
                  {r.lost_v === null ? "not determined" : fine(r.lost_v, unit)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="text-sm text-quiet">
        Found with 80 % power at a risk of 0.1 % (Baarda). Below that size an error in the point passes unnoticed and
        moves the map's worst place by so much.
      </p>
    </section>
  );
}
