import type { Base, Mark } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useWorkbench } from "../../app/workbench";
import { HeightChain } from "../../plots/HeightChain";
import { mm } from "../../lib/units";
import { Field, LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { Heading } from "../Tray";

const CORRECTIONS = [
  { id: "fixed", name: "RTK, fixed" },
  { id: "float", name: "RTK, float" },
  { id: "code", name: "none: code positions only" },
];
const SUPPORTS = [
  { id: "tripod", name: "tripod, slant to the disc's edge" },
  { id: "fixed_pole", name: "fixed-height pole" },
];
const KNOWN = [
  { id: "published", name: "published" },
  { id: "static", name: "static log" },
  { id: "here", name: "taken here" },
];

export function BaseTray() {
  const { plan, summary, catalogue, edit } = usePlan();
  const { base } = plan;
  const unit = plan.brief.unit!;
  const set = (change: Partial<Base>) => void edit([{ object: "base", value: { ...base, ...change } }]);
  const readings = base.readings ?? [];
  const choices = [{ id: "", name: "no mark chosen" }, ...plan.marks];
  return (
    <>
      <Heading title="Base">
        <span className="text-quiet">first thing out of the vehicle, last thing back in</span>
      </Heading>
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Field label="Base stands on">
          {(id) => (
            <Select
              id={id}
              value={base.mark ?? ""}
              options={choices}
              onChange={(mark) => set({ mark: mark || null })}
            />
          )}
        </Field>
        <Field label="Camera positions">
          {(id) => (
            <Select
              id={id}
              value={base.corrections!}
              options={CORRECTIONS}
              onChange={(corrections) => set({ corrections })}
            />
          )}
        </Field>
        <Field label="Set-up">
          {(id) => (
            <Select
              id={id}
              value={base.support!}
              options={SUPPORTS}
              onChange={(support) => set({ support, readings: [readings[0] ?? 1.6] })}
            />
          )}
        </Field>
        <Field label="Antenna">
          {(id) => (
            <Select
              id={id}
              value={base.antenna!}
              options={catalogue.antennas}
              onChange={(antenna) => set({ antenna })}
            />
          )}
        </Field>
        {readings.map((r, k) => (
          <Field
            key={k}
            label={
              base.support === "tripod" ? `Slant height ${k + 1}, ${unitName(unit)}` : `Pole height, ${unitName(unit)}`
            }
          >
            {(id) => (
              <LengthField
                id={id}
                value={r}
                unit={unit}
                decimals={4}
                onCommit={(v) => v !== null && set({ readings: readings.map((x, j) => (j === k ? v : x)) })}
              />
            )}
          </Field>
        ))}
        {base.support === "tripod" && (
          <div className="flex gap-2 self-end">
            {readings.length < 4 && (
              <button className="button" onClick={() => set({ readings: [...readings, readings.at(-1)!] })}>
                another reading
              </button>
            )}
            {readings.length > 1 && (
              <button className="button" onClick={() => set({ readings: readings.slice(0, -1) })}>
                drop the last
              </button>
            )}
          </div>
        )}
      </div>
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)] gap-4 2xl:grid-cols-2">
        <div>
          {summary?.heights && base.mark ? (
            <HeightChain heights={summary.heights} unit={unit} support={base.support!} />
          ) : (
            <p className="text-quiet">
              {summary?.faults.heights?.what} {summary?.faults.heights?.mend}
            </p>
          )}
          {summary?.heights && (
            <p className="figures text-sm">
              <span className="text-quiet">mark on the grid's datum:</span> {summary.heights.latitude.toFixed(9)}°{" "}
              {summary.heights.longitude.toFixed(9)}°
            </p>
          )}
        </div>
        <Marks />
      </div>
    </>
  );
}

function Marks() {
  const { plan, summary, edit } = usePlan();
  const { selected, select, setPlacing } = useWorkbench();
  const unit = plan.brief.unit!;
  const u = unitName(unit);
  const set = (mark: Mark, change: Partial<Mark>) =>
    void edit([{ object: `mark/${mark.id}`, value: { ...mark, ...change } }]);
  const used = new Set([plan.base.mark, ...plan.control.map((p) => p.mark)]);
  return (
    <div>
      <div className="flex items-baseline gap-3">
        <h3 className="font-bold">Marks</h3>
        <button className="button text-sm" onClick={() => setPlacing("base")}>
          new mark on the sheet (O)
        </button>
        <span className="text-sm text-quiet">sigma as published: 95 % circle ÷ 2.4477, 95 % height ÷ 1.96</span>
      </div>
      <table className="table">
        <thead>
          <tr>
            <th>mark</th>
            <th className="num">E, {u}</th>
            <th className="num">N, {u}</th>
            <th className="num">H of the mark, {u}</th>
            <th>known</th>
            <th className="num">σ H, mm</th>
            <th className="num">σ V, mm</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {plan.marks.map((m) => (
            <tr
              key={m.id}
              className={selected === `mark/${m.id}` ? "bg-decision-wash" : ""}
              onFocus={() => select(`mark/${m.id}`)}
            >
              <td>
                <TextField label={`Name of ${m.name}`} value={m.name} onCommit={(name) => set(m, { name })} />
              </td>
              {(["e", "n", "h"] as const).map((key) => (
                <td key={key} className="num">
                  <LengthField
                    label={`${key.toUpperCase()} of ${m.name}`}
                    value={m[key]}
                    unit={unit}
                    width="w-32"
                    onCommit={(v) => v !== null && set(m, { [key]: v })}
                  />
                </td>
              ))}
              <td className="whitespace-nowrap">
                <Select
                  label={`How ${m.name} is known`}
                  value={m.known!}
                  options={KNOWN}
                  onChange={(known) => set(m, { known })}
                />
                {m.known === "static" && (
                  <>
                    {" "}
                    <NumberField
                      label={`Hours logged on ${m.name}`}
                      value={m.hours!}
                      width="w-14"
                      onCommit={(hours) => set(m, { hours })}
                    />{" "}
                    h
                  </>
                )}
              </td>
              {(["sigma_h", "sigma_v"] as const).map((key) => (
                <td key={key} className="num">
                  {m.known === "published" ? (
                    <NumberField
                      label={`${key} of ${m.name}`}
                      value={m[key]!}
                      scale={1000}
                      width="w-16"
                      onCommit={(v) => set(m, { [key]: v })}
                    />
                  ) : (
                    <span className="italic" title="follows from how the mark is known; see the assumptions">
                      {mm(summary?.mark_sigma[m.id]?.[key === "sigma_h" ? 0 : 2])}
                    </span>
                  )}
                </td>
              ))}
              <td>
                <button
                  className="cursor-pointer underline disabled:text-quiet disabled:no-underline"
                  disabled={used.has(m.id)}
                  title={used.has(m.id) ? "in use" : undefined}
                  onClick={() => void edit([{ object: `mark/${m.id}`, value: null }])}
                >
                  remove
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!plan.marks.length && (
        <p className="mt-1 text-quiet">
          No mark yet. Press O, click on the sheet, then type its published coordinates here.
        </p>
      )}
    </div>
  );
}
