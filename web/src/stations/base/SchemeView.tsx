import { useState } from "react";
import type { Scheme, Schemes } from "../../api/client";
import { useComputation } from "../../app/computation";
import { usePlan } from "../../app/plan";
import { chance, fineUnit } from "../../lib/units";
import { SchemeMarks, SchemeScale } from "../../plots/SchemeMarks";
import { Fine } from "../../ui/Fine";
import { ProblemNote } from "../../ui/ProblemNote";
import { UNDER_WAY, UnderWay } from "../../ui/UnderWay";

/** Ways to bring corrections, side by side: what each promises, what it needs, how it fails. */
export function SchemeView() {
  const { told, asked, run, fault } = useComputation<Schemes>("schemes");
  return (
    <section data-testid="schemes">
      <div className="flex flex-wrap items-baseline gap-3">
        <h3 className="font-bold">How do corrections come?</h3>
        {!asked && (
          <button className="button text-sm" onClick={() => void run("start")}>
            compare the schemes
          </button>
        )}
        <span className="text-sm text-quiet">
          {told?.result
            ? "▲ on the map, absolute · ▽ at the check points · line: tolerance. Control that is positioned from elsewhere stays there."
            : "Predicts this plan with every usual way to bring corrections. Nothing is changed until you choose one."}
        </span>
      </div>
      {told && UNDER_WAY.includes(told.state) && <UnderWay work={told} onStop={() => void run("stop")} />}
      {fault && <ProblemNote problem={fault} />}
      {told?.result?.here && <p className="mt-1 text-sm">{told.result.here}</p>}
      {told?.result && <SideBySide rows={told.result.rows} />}
    </section>
  );
}

function SideBySide({ rows }: { rows: Scheme[] }) {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const [opened, open] = useState<string | null>(rows.find((r) => r.chosen)?.id ?? null);
  return (
    <table className="table mt-1">
      <thead>
        <tr>
          <th>scheme</th>
          <th>
            <span className="sr-only">against the tolerance</span>
            <SchemeScale unit={unit} />
          </th>
          <th className="num">H, {fineUnit(unit)}</th>
          <th className="num pl-3">V, {fineUnit(unit)}</th>
          <th className="num pl-3">passes</th>
          <th className="num pl-3">min on site</th>
          <th>
            <span className="sr-only">choose</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <Row
            key={row.id}
            row={row}
            unit={unit}
            opened={row.id === opened}
            onOpen={() => open(row.id === opened ? null : row.id)}
            onChoose={() => void edit(row.edits)}
          />
        ))}
      </tbody>
    </table>
  );
}

function Row(props: { row: Scheme; unit: string; opened: boolean; onOpen: () => void; onChoose: () => void }) {
  const { row, unit, opened, onOpen, onChoose } = props;
  const { promise, as_seen } = row;
  return (
    <>
      <tr className={row.chosen ? "bg-settled-wash" : ""} data-testid={`scheme-${row.id}`}>
        <td className="min-w-52">
          <button className="cursor-pointer text-left font-medium" aria-expanded={opened} onClick={onOpen}>
            <span className="inline-block w-4 text-quiet" aria-hidden="true">
              {opened ? "–" : "+"}
            </span>
            {row.name}
          </button>
          {row.on && <span className="block pl-4 text-sm text-quiet">{row.on}</span>}
        </td>
        {promise ? (
          <>
            <td>
              <SchemeMarks
                absolute={[promise.rmse_h, promise.rmse_v]}
                seen={as_seen}
                limits={[promise.limit_h, promise.limit_v]}
                unit={unit}
              />
            </td>
            <td className="num">
              <Fine value={promise.rmse_h} unit={unit} />
            </td>
            <td className="num pl-3">
              <Fine value={promise.rmse_v} unit={unit} />
            </td>
            <td className="num pl-3">{promise.chance === null ? "–" : chance(promise.chance)}</td>
          </>
        ) : (
          <td colSpan={4} className="text-sm text-quiet">
            {row.lacks || "Something would not be determined: too few control points to carry the block."}
          </td>
        )}
        <td className="num pl-3">
          {row.minutes.toFixed(0)}
          {row.hours > 0 && <span className="block text-xs">and {row.hours.toFixed(0)} h log</span>}
        </td>
        <td className="pl-3">
          {row.chosen ? (
            <span className="font-medium whitespace-nowrap text-settled">● in the plan</span>
          ) : (
            promise && (
              <button className="button text-sm" aria-label={`choose ${row.name}`} onClick={onChoose}>
                choose
              </button>
            )
          )}
        </td>
      </tr>
      {opened && (
        <tr>
          <td colSpan={7} className="text-sm">
            <p className="pl-4">
              <span className="text-quiet">Needs</span> {row.needs}.
            </p>
            <p className="pl-4">
              <span className="text-quiet">Fails like this:</span> {row.fails}
            </p>
          </td>
        </tr>
      )}
    </>
  );
}
