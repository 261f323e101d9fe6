import type { ControlPoint, Occupation } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits } from "../../lib/edits";
import { LengthField, NumberField, Select } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";
import { positionSourceId, positionSourceOf, positionSources } from "../positioning";

/** One point's occupations one by one: how long, how long after the first, and what each rests on. */
export function Occupations({ point }: { point: ControlPoint | undefined }) {
  const { plan, catalogue, edit } = usePlan();
  const { most, apart_min } = catalogue.occupations;
  if (!point) return <p className="text-sm text-quiet">Choose a point to see its occupations one by one.</p>;
  const { occupations, name } = point;
  const put = (some: Occupation[]) => void edit(fieldEdits(plan, `control/${point.id}`, { occupations: some }));
  const set = (k: number, change: Partial<Occupation>) =>
    put(occupations.map((o, at) => (at === k ? { ...o, ...change } : o)));
  const places = positionSources(plan, "control");
  const usual = places.find((p) => p.id === positionSourceId(point.positioned_from))?.name ?? "nothing";
  const another = () => {
    const last = Math.max(...occupations.map((o) => o.after_min));
    put([...occupations, { ...occupations.at(-1)!, after_min: last + apart_min }]);
  };
  return (
    <section className="mt-1 border-t border-hairline pt-1" aria-label={`Occupations of ${name}`}>
      <div className="flex items-baseline gap-3">
        <h3 className="font-bold">Occupations of {name}</h3>
        <button className="button text-sm" disabled={occupations.length >= most} onClick={another}>
          another
        </button>
        <span className="text-sm text-quiet">
          {apart_min} min apart they count as under another sky; the point is their mean, whatever they are positioned
          from
        </span>
      </div>
      <table className="table text-sm">
        <thead>
          <tr>
            <th className="num">#</th>
            <th className="num">epochs, 1 s each</th>
            <th className="num">min after the first</th>
            <th>positioned from</th>
            <ActionsHead />
          </tr>
        </thead>
        <tbody>
          {occupations.map((o, k) => (
            <tr key={k} data-testid={`occupation-${k + 1}`}>
              <td className="num">{k + 1}</td>
              <td className="num">
                <NumberField
                  label={`Epochs of occupation ${k + 1} of ${name}`}
                  value={o.epochs}
                  decimals={0}
                  width="w-16"
                  onCommit={(epochs) => set(k, { epochs: Math.round(epochs) })}
                />
              </td>
              <td className="num">
                <NumberField
                  label={`Minutes before occupation ${k + 1} of ${name}`}
                  value={o.after_min}
                  decimals={0}
                  width="w-16"
                  onCommit={(after_min) => set(k, { after_min })}
                />
              </td>
              <td>
                <Select
                  label={`Occupation ${k + 1} of ${name} positioned from`}
                  value={o.positioned_from ? positionSourceId(o.positioned_from) : ""}
                  options={[{ id: "", name: `as the point: ${usual}` }, ...places]}
                  onChange={(hung) =>
                    set(k, { positioned_from: hung ? positionSourceOf(hung, o.positioned_from ?? undefined) : null })
                  }
                />
                {o.positioned_from?.on === "levelled" && (
                  <>
                    {" over "}
                    <LengthField
                      label={`Length levelled, occupation ${k + 1} of ${name}`}
                      value={o.positioned_from.metres ?? 500}
                      unit={plan.brief.unit}
                      decimals={0}
                      width="w-16"
                      onCommit={(metres) =>
                        metres !== null &&
                        metres >= 1 &&
                        o.positioned_from?.on === "levelled" &&
                        set(k, { positioned_from: { ...o.positioned_from, metres } })
                      }
                    />
                  </>
                )}
                {o.positioned_from?.on === "session" && (
                  <>
                    {" "}
                    <NumberField
                      label={`Hours of occupation ${k + 1} of ${name}`}
                      value={o.positioned_from.hours}
                      width="w-12"
                      onCommit={(hours) =>
                        o.positioned_from?.on === "session" &&
                        set(k, { positioned_from: { ...o.positioned_from, hours } })
                      }
                    />{" "}
                    h
                  </>
                )}
              </td>
              <td>
                {occupations.length > 1 && (
                  <Remove onClick={() => put(occupations.filter((_, at) => at !== k))}>remove</Remove>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
