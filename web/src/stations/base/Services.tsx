import type { Network } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, freeName, removed } from "../../lib/edits";
import { fineUnit } from "../../lib/units";
import { FineField, TextField } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";
import { allSources } from "../positioning";
import { SIGMA } from "./accuracyAs";

/** Correction services: each has an offset that all its positions share. */
export function Services() {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const set = (n: Network, change: Partial<Network>) =>
    void edit(fieldEdits(plan, `correction_services/${n.id}`, change));
  const another = () => {
    const id = freeName("N", plan.correction_services);
    void edit([
      added("correction_services", {
        id,
        name: `service ${plan.correction_services.length + 1}`,
        sigma_h: 0.01,
        sigma_v: 0.02,
      } as Network),
    ]);
  };
  const used = new Set(allSources(plan).flatMap((hung) => ("service" in hung ? [hung.service] : [])));
  return (
    <section className="mt-3">
      <div className="flex items-baseline gap-3">
        <h3 className="font-bold">Correction networks</h3>
        <button className="button text-sm" onClick={another}>
          add a service
        </button>
        <span className="text-sm text-quiet">the offset that all its positions share, one standard deviation</span>
      </div>
      {plan.correction_services.length > 0 && (
        <table className="table max-w-xl">
          <thead>
            <tr>
              <th>service</th>
              <th className="num">σ H, {fineUnit(unit)}</th>
              <th className="num">σ V, {fineUnit(unit)}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {plan.correction_services.map((n) => (
              <tr key={n.id}>
                <td>
                  <TextField label={`Name of ${n.name}`} value={n.name} onCommit={(name) => set(n, { name })} />
                </td>
                {(["sigma_h", "sigma_v"] as const).map((key) => (
                  <td key={key} className="num">
                    <FineField
                      label={`${SIGMA[key]} of ${n.name}`}
                      value={n[key]}
                      unit={unit}
                      width="w-16"
                      onCommit={(v) => set(n, { [key]: v })}
                    />
                  </td>
                ))}
                <td>
                  <Remove
                    neededBy={used.has(n.id) ? "a flight or control is positioned from it" : undefined}
                    onClick={() => void edit([removed(plan, `correction_services/${n.id}`)])}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
