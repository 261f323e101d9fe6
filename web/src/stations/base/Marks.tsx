import { useState } from "react";
import type { Mark } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { fieldEdits, removed } from "../../lib/edits";
import { fine, fineUnit } from "../../lib/units";
import { FineField, LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";
import { AccuracyAs, SIGMA, useAccuracyAs } from "./accuracyAs";
import { Certificate } from "./Certificate";

const KNOWN = [
  { id: "published", name: "published" },
  { id: "local", name: "in the local grid" },
  { id: "static", name: "static log" },
  { id: "here", name: "autonomous (“here”)" },
];

const axisOf = (key: "sigma_h" | "sigma_v") => (key === "sigma_h" ? "h" : "v");
const scaled = (value: number | undefined, factor: number) => (value === undefined ? undefined : value * factor);

/** The marks that set-ups stand on: coordinates, and how well they are known. */
export function Marks() {
  const { plan, summary, catalogue, edit } = usePlan();
  const { selected, select, setPlacing } = useSelection();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const set = (mark: Mark, change: Partial<Mark>) => void edit(fieldEdits(plan, `marks/${mark.id}`, change));
  const standsOn = new Map(plan.setups.map((s) => [s.id, s.mark]));
  const used = new Set(standsOn.values());
  const [typing, setTyping] = useState(false);
  const as = useAccuracyAs();
  return (
    <section className="mt-3">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <h3 className="font-bold">Marks</h3>
        <button className="button text-sm" onClick={() => setPlacing("base")}>
          new mark on the sheet (O)
        </button>
        <button className="button text-sm" aria-expanded={typing} onClick={() => setTyping(!typing)}>
          new mark from its certificate…
        </button>
        <span className="text-sm text-quiet">accuracy:</span> <AccuracyAs />
      </div>
      {typing && <Certificate onDone={() => setTyping(false)} />}
      <table className="table text-sm">
        <thead>
          <tr>
            <th>mark</th>
            <th className="num">E, {u}</th>
            <th className="num">N, {u}</th>
            <th className="num">H of the mark, {u}</th>
            <th>known</th>
            <th className="num">
              {as.words.h}, {fineUnit(unit)}
            </th>
            <th className="num">
              {as.words.v}, {fineUnit(unit)}
            </th>
            <ActionsHead />
          </tr>
        </thead>
        <tbody>
          {plan.marks.map((m) => (
            <tr
              key={m.id}
              className={selected === `marks/${m.id}` ? "bg-decision-wash" : ""}
              onFocus={() => select(`marks/${m.id}`)}
            >
              <td>
                <TextField label={`Name of ${m.name}`} value={m.name} onCommit={(name) => set(m, { name })} />
              </td>
              {(["e", "n"] as const).map((key) => (
                <td key={key} className="num">
                  <LengthField
                    label={`${key.toUpperCase()} of ${m.name}`}
                    value={m[key]}
                    unit={unit}
                    width="w-[7.6rem]"
                    onCommit={(v) => v !== null && set(m, { [key]: v })}
                  />
                </td>
              ))}
              <td className="num" title={m.h === null ? "the ground's height; type the mark's own" : "typed"}>
                <LengthField
                  label={`H of ${m.name}`}
                  value={m.h ?? summary?.heights.find((h) => standsOn.get(h.setup) === m.id)?.mark ?? null}
                  quiet={m.h === null}
                  unit={unit}
                  width="w-32"
                  optional
                  placeholder="the ground's"
                  onCommit={(h) => set(m, { h })}
                />
              </td>
              <td className="whitespace-nowrap">
                <Select
                  label={`How ${m.name} is known`}
                  value={m.known}
                  options={KNOWN}
                  onChange={(known) => set(m, { known })}
                />
                {m.known === "static" && (
                  <>
                    {" "}
                    <NumberField
                      label={`Hours logged on ${m.name}`}
                      value={m.hours}
                      width="w-14"
                      onCommit={(hours) => set(m, { hours })}
                    />{" "}
                    h
                  </>
                )}
              </td>
              {(["sigma_h", "sigma_v"] as const).map((key) => (
                <td key={key} className="num">
                  {m.known === "published" || m.known === "local" ? (
                    <FineField
                      label={`${SIGMA[key]} of ${m.name}`}
                      value={m[key] * as.factor[axisOf(key)]}
                      unit={unit}
                      width="w-16"
                      onCommit={(v) => set(m, { [key]: v / as.factor[axisOf(key)] })}
                    />
                  ) : (
                    <span className="italic" title="follows from how the mark is known; see the assumptions">
                      {fine(
                        scaled(summary?.mark_sigma[m.id]?.[key === "sigma_h" ? 0 : 2], as.factor[axisOf(key)]),
                        unit,
                      )}
                    </span>
                  )}
                </td>
              ))}
              <td>
                <Remove
                  neededBy={used.has(m.id) ? "in use" : undefined}
                  onClick={() => void edit([removed(plan, `marks/${m.id}`)])}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {plan.marks
        .filter((m) => m.known === "here" && used.has(m.id))
        .map((m) => (
          <p key={m.id} className="mt-1 text-sm" data-testid={`shift-of-${m.id}`}>
            {m.name} is taken “here”
            {m.shift_hours == null ? (
              <>
                : nothing is planned to shift it afterwards.{" "}
                <button className="button text-sm" onClick={() => set(m, { shift_hours: catalogue.full_session_h })}>
                  plan a shift
                </button>
              </>
            ) : (
              <>
                ; shifted afterwards by{" "}
                <NumberField
                  label={`Hours of its own log that shift ${m.name}`}
                  value={m.shift_hours}
                  width="w-14"
                  onCommit={(hours) => set(m, { shift_hours: hours })}
                />{" "}
                h of its own log. <Remove onClick={() => set(m, { shift_hours: null })}>no shift</Remove>
              </>
            )}
          </p>
        ))}
      {!plan.marks.length && (
        <p className="mt-1 text-quiet">
          No mark yet. Press O, click on the sheet, then type its published coordinates here.
        </p>
      )}
    </section>
  );
}
