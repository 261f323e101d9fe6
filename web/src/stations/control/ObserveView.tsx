import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, type ObservationPlan, type Pole, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { added, fieldEdits, freeName, removed } from "../../lib/edits";
import { fine, fineUnit, length } from "../../lib/units";
import { clockOf } from "../day/useDay";
import { LengthField, Select, TextField, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remove } from "../../ui/Remove";

/** How every point is observed: by what, for how long, when, under which satellites; and how good it comes out, and on what that hangs. */
export function ObserveView() {
  const { jobId, plan, answer, edit } = usePlan();
  const { selected, select } = useSelection();
  const { unit } = plan.brief;
  const found = useQuery<ObservationPlan, Problem>({
    queryKey: ["observed", jobId, answer.revision],
    queryFn: () => call("GET", `/jobs/${jobId}/control/observed`),
    staleTime: Infinity,
    placeholderData: (previous) => previous,
  });
  if (found.error) return <ProblemNote problem={found.error} onClose={() => void found.refetch()} />;
  if (!found.data) return <p className="text-quiet">Looking up the hours and the satellites…</p>;
  const { points, told, date } = found.data;
  const usual = usualOf(points.map((p) => p.hangs.join(" and ")));
  const poles = [{ id: "", name: "–" }, ...plan.kit.poles.map((p) => ({ id: p.id, name: p.name }))];
  const setPole = (id: string, k: number, pole: string) => {
    const own = plan.control.find((p) => p.id === id)!;
    const occupations = own.occupations.map((o, at) => (at === k ? { ...o, pole: pole || null } : o));
    void edit(fieldEdits(plan, `control/${id}`, { occupations }));
  };
  return (
    <section data-testid="observed" className="min-h-0 flex-1 overflow-auto">
      <p>
        {told} {date && <span className="text-quiet">Hours of {date}, by the site's clock.</span>}
      </p>
      {usual && (
        <p className="text-sm">
          {usual.count === points.length ? "All points hang" : `${usual.count} of ${points.length} points hang`} on{" "}
          {usual.what}: an error there moves them together.
        </p>
      )}
      <Poles />
      <table className="table mt-1 text-sm">
        <thead>
          <tr>
            <th>point</th>
            <th className="num">#</th>
            <th>observed</th>
            <th className="num">epochs</th>
            <th className="num">min after</th>
            <th>pole</th>
            <th className="num">at</th>
            <th className="num">satellites</th>
            <th className="num">PDOP</th>
            <th className="num" title={`of the observation alone, ${fineUnit(unit)}: radial, and up`}>
              σ H/V, {fineUnit(unit)}
            </th>
            <th className="num" title="of the position, with all that it is positioned from">
              in all H/V
            </th>
            <th>notes</th>
          </tr>
        </thead>
        <tbody>
          {points.flatMap((p) =>
            p.occupations.map((o, k) => (
              <tr
                key={`${p.id}-${k}`}
                className={selected === `control/${p.id}` ? "bg-decision-wash" : ""}
                onClick={() => select(`control/${p.id}`)}
              >
                <td>{k === 0 && <strong>{p.name}</strong>}</td>
                <td className="num">{o.number}</td>
                <td className="min-w-32">{o.method}</td>
                <td className="num figures">{o.epochs}</td>
                <td className="num figures">{o.after_min || ""}</td>
                <td className="whitespace-nowrap">
                  <Select
                    label={`Pole of ${p.name}, occupation ${o.number}`}
                    value={plan.control.find((c) => c.id === p.id)?.occupations[k]?.pole ?? ""}
                    options={poles}
                    onChange={(pole) => setPole(p.id, k, pole)}
                  />{" "}
                  {o.pole_height !== null && length(o.pole_height, unit)}
                </td>
                <td className="num figures">{o.at === null ? "–" : clockOf(o.at)}</td>
                <td className="num figures">{o.satellites ?? "–"}</td>
                <td className="num figures">{o.pdop?.toFixed(1) ?? "–"}</td>
                <td className="num figures">{k === 0 && `${fine(p.own_h, unit)}/${fine(p.own_v, unit)}`}</td>
                <td className="num figures font-bold">
                  {k === 0 && `${fine(p.total_h, unit)}/${fine(p.total_v, unit)}`}
                </td>
                <td>
                  {k === 0 && (
                    <>
                      <span className="text-quiet">
                        {p.hangs.join(" and ") === usual?.what ? "" : p.hangs.join("; ") || "nothing shared"}
                      </span>
                      {p.remarks.map((remark) => (
                        <p key={remark} className="text-decision-text">
                          ◆ {remark}
                        </p>
                      ))}
                    </>
                  )}
                </td>
              </tr>
            )),
          )}
        </tbody>
      </table>
    </section>
  );
}

/** What most points rest on, told once over the table. */
function usualOf(hangs: string[]): { what: string; count: number } | null {
  const counts = new Map<string, number>();
  for (const what of hangs) if (what) counts.set(what, (counts.get(what) ?? 0) + 1);
  const [most] = [...counts].sort((a, b) => b[1] - a[1]);
  return most && most[1] > 1 ? { what: most[0], count: most[1] } : null;
}

/** The poles that points are observed with, each with its height. */
function Poles() {
  const { plan, edit } = usePlan();
  const [height, setHeight] = useState<number | null>(2);
  const { unit } = plan.brief;
  const add = () => {
    const id = freeName("P", plan.kit.poles);
    const pole: Pole = { id, name: `pole ${id.slice(1)}`, origin: null, height: height ?? 2 };
    void edit([added("kit/poles", pole)]);
  };
  return (
    <p className="mt-1 flex flex-wrap items-center gap-2 text-sm">
      <strong>Poles, {unitName(unit)}:</strong>
      {plan.kit.poles.map((pole) => (
        <span key={pole.id} className="flex items-center gap-1">
          <TextField
            label={`Name of ${pole.name}`}
            value={pole.name}
            width="w-20"
            onCommit={(name) => void edit(fieldEdits(plan, `kit/poles/${pole.id}`, { name }))}
          />
          <LengthField
            label={`Height of ${pole.name}`}
            value={pole.height}
            unit={unit}
            decimals={3}
            width="w-16"
            onCommit={(h) => h !== null && h > 0 && void edit(fieldEdits(plan, `kit/poles/${pole.id}`, { height: h }))}
          />
          <Remove onClick={() => void edit([removed(plan, `kit/poles/${pole.id}`)])} />
        </span>
      ))}
      <LengthField
        label="Height of a further pole"
        value={height}
        unit={unit}
        decimals={3}
        width="w-16"
        onCommit={setHeight}
      />
      <button className="button text-sm" onClick={add}>
        add a pole
      </button>
    </p>
  );
}
