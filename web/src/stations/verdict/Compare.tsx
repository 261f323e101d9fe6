import { useState } from "react";
import { usePlan } from "../../app/plan";
import { type Pin, usePins } from "../../app/workbench/pins";
import { differences } from "../../lib/differences";
import { chance, fine, fineUnit } from "../../lib/units";

/** Two predictions side by side, with what differs between their plans. */
export function Compare() {
  const { plan, result } = usePlan();
  const { pins, setPins } = usePins();
  const [chosen, choose] = useState<[string, string] | null>(null);
  if (!pins.length || !result) return null;
  const current: Pin = { name: "the plan now", plan, result };
  const all = [...pins, current];
  const pick = (name: string | undefined, otherwise: Pin) => all.find((p) => p.name === name) ?? otherwise;
  const first = pick(chosen?.[0], pins.at(-1)!);
  const second = pick(chosen?.[1], current);
  const found = differences(first.plan, second.plan);
  const { unit } = plan.brief;
  const small = fineUnit(unit);
  const select = (pin: Pin, set: (name: string) => void, label: string) => (
    <select className="input" aria-label={label} value={pin.name} onChange={(event) => set(event.target.value)}>
      {all.map((p) => (
        <option key={p.name}>{p.name}</option>
      ))}
    </select>
  );
  const row = (name: string, read: (pin: Pin) => string) => (
    <tr>
      <td>{name}</td>
      <td className="num">{read(first)}</td>
      <td className="num">{read(second)}</td>
    </tr>
  );
  return (
    <section className="mt-4" data-testid="compare">
      <h3 className="font-bold">Compare</h3>
      <div className="flex flex-wrap items-start gap-x-8 gap-y-2">
        <table className="table">
          <thead>
            <tr>
              <th>prediction</th>
              <th className="num">{select(first, (name) => choose([name, second.name]), "first prediction")}</th>
              <th className="num">{select(second, (name) => choose([first.name, name]), "second prediction")}</th>
            </tr>
          </thead>
          <tbody>
            {row(`H on the map, ${small}`, (p) => fine(p.result.rmse_h, unit))}
            {row(`V on the map, ${small}`, (p) => fine(p.result.rmse_v, unit))}
            {row(`H at the check points, ${small}`, (p) => fine(p.result.seen_rmse_h, unit))}
            {row(`V at the check points, ${small}`, (p) => fine(p.result.seen_rmse_v, unit))}
            {row(`worst place V, ${small}`, (p) => fine(p.result.map.worst_v?.sigma, unit))}
            {row("probability of passing", (p) => (p.result.chance === null ? "–" : chance(p.result.chance)))}
            {row("control, check points", (p) => counts(p))}
          </tbody>
        </table>
        <div>
          <p className="text-sm text-quiet">
            {found.length ? "What differs between the two plans:" : "The two plans are the same."}
          </p>
          <ul className="text-sm">
            {found.slice(0, 12).map((d) => (
              <li key={d.what}>
                <strong>{d.what}</strong> {d.first && <span className="figures">{d.first} → </span>}
                <span className="figures">{d.second}</span>
              </li>
            ))}
            {found.length > 12 && <li>and {found.length - 12} more</li>}
          </ul>
          <button className="button mt-1 text-sm" onClick={() => setPins([])}>
            take all pins off
          </button>
        </div>
      </div>
    </section>
  );
}

function counts(pin: Pin): string {
  const targets = pin.plan.control.filter((p) => p.role === "target").length;
  return `${targets}, ${pin.plan.control.length - targets}`;
}
