import type { SetUpBlunders } from "../../api/client";
import { length, UNITS } from "../../lib/units";

/** What usually goes wrong here, and how far it would move everything on this base. */
export function Blunders({ told, unit }: { told: SetUpBlunders; unit: string }) {
  const { short } = UNITS[unit]!;
  const figure = (v: number) =>
    Math.abs(v) < 0.0005 ? "" : Math.abs(v) < 1000 ? length(v, unit) : `${(v / 1000).toFixed(0)} km`;
  return (
    <section className="mt-3" data-testid="blunders">
      <h3 className="font-bold">What goes wrong here</h3>
      <p className="text-sm text-quiet">
        How far each usual blunder would move everything positioned from this set-up. {told.seen}
      </p>
      <table className="table max-w-3xl text-sm">
        <thead>
          <tr>
            <th>blunder</th>
            <th className="num">H, {short}</th>
            <th className="num pl-4">V, {short}</th>
          </tr>
        </thead>
        <tbody>
          {told.rows.map((row) => (
            <tr key={row.id}>
              <td>
                {row.words}
                {row.remark && <span className="text-quiet"> ({row.remark})</span>}
              </td>
              <td className="num">{figure(row.horizontal)}</td>
              <td className="num pl-4">
                {figure(row.up) && row.up > 0 && "+"}
                {figure(row.up)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
