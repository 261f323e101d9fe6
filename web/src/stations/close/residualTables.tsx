import type { Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fineUnit } from "../../lib/units";
import { Select } from "../../ui/fields";
import { Fine } from "../../ui/Fine";

export type Reading = Schemas["ResidualReading"];
export type Used = Schemas["Outcome"]["used"];

/** What a point was used for. */
export const USED = [
  { id: "adjusted", name: "adjusted" },
  { id: "checked", name: "checked" },
  { id: "unused", name: "not used" },
];

/** The columns of a file, and what each is taken to hold. */
export function Columns({ reading, onChange }: { reading: Reading; onChange: (means: string[]) => void }) {
  const means = reading.columns.map((c) => c.means);
  return (
    <div className="overflow-x-auto">
      <table className="table mt-1 text-sm" data-testid="columns">
        <thead>
          <tr>
            <th>column</th>
            <th>holds</th>
            <th>first lines</th>
          </tr>
        </thead>
        <tbody>
          {reading.columns.map((column, k) => (
            <tr key={k}>
              <td>{column.head}</td>
              <td>
                <Select
                  label={`What the column ${column.head} holds`}
                  className="!border-hairline"
                  value={column.means}
                  options={reading.meanings}
                  onChange={(to) => onChange(means.map((m, i) => (i === k ? to : to && m === to ? "" : m)))}
                />
              </td>
              <td className="figures text-quiet">{column.sample.join(" · ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The points of a file, with what each was used for. */
export function Points({
  rows,
  onUse,
}: {
  rows: Schemas["ReadOutcome"][];
  onUse: (point: string, used: Used) => void;
}) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  return (
    <table className="table mt-1" data-testid="read-points">
      <thead>
        <tr>
          <th>point</th>
          <th>used</th>
          <th>
            <span className="sr-only">as said by</span>
          </th>
          <th className="num">E, {fineUnit(unit)}</th>
          <th className="num">N, {fineUnit(unit)}</th>
          <th className="num">up, {fineUnit(unit)}</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.point}>
            <td>{row.name}</td>
            <td>
              <Select
                label={`How ${row.name} was used`}
                className="!border-hairline"
                value={row.used}
                options={row.d ? USED : USED.filter((u) => u.id !== "checked")}
                onChange={(use) => onUse(row.point, use)}
              />
            </td>
            <td className="text-sm text-quiet">{row.known}</td>
            {[0, 1, 2].map((k) => (
              <td key={k} className="num">
                <Fine value={row.d?.[k]} unit={unit} />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface LinesProps {
  lines: Schemas["ResidualLine"][];
  onUse?: (line: Schemas["ResidualLine"], used: Used) => void;
}

/** The residuals that are judged. */
export function Lines({ lines, onUse }: LinesProps) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  return (
    <table className="table mt-2" data-testid="residuals">
      <thead>
        <tr>
          <th>point</th>
          <th>used</th>
          <th className="num">E, {fineUnit(unit)}</th>
          <th className="num">N, {fineUnit(unit)}</th>
          <th className="num">up, {fineUnit(unit)}</th>
          <th className="num">images</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line) => (
          <tr key={line.point}>
            <td>{line.name}</td>
            <td>
              {onUse ? (
                <Select
                  label={`What ${line.name} is used for`}
                  value={line.used}
                  options={USED}
                  onChange={(used) => onUse(line, used)}
                />
              ) : (
                USED.find((u) => u.id === line.used)!.name
              )}
            </td>
            {[0, 1, 2].map((k) => (
              <td key={k} className="num">
                <Fine value={line.d?.[k]} unit={unit} />
              </td>
            ))}
            <td className="num">{line.images ?? "–"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
