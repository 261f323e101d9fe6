import type { Reading, SetUp, SetUpHeights } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fine, fineUnit, length } from "../../lib/units";
import { LengthField, Select, unitName } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";

const WAYS: { id: Reading["measured_to"]; name: string }[] = [
  { id: "slant", name: "slant to the rim" },
  { id: "vertical", name: "vertical to the reference point (ARP)" },
];
const MOST_READINGS = 6;

/** What is read of the antenna's height, each as it was typed and as the vertical height that it comes to. */
export function AntennaHeights(props: { setup: SetUp; chain?: SetUpHeights; onChange: (readings: Reading[]) => void }) {
  const { setup, chain, onChange } = props;
  const { unit } = usePlan().plan.brief;
  const { readings } = setup;
  const tripod = setup.support === "tripod";
  const set = (k: number, change: Partial<Reading>) =>
    onChange(readings.map((r, j) => (j === k ? { ...r, ...change } : r)));
  const next: Reading = {
    metres: readings.at(-1)?.metres ?? 1.6,
    measured_to: readings.at(-1)?.measured_to ?? "slant",
    typed: "",
  };
  return (
    <>
      {readings.length > 0 && (
        <table className="table mt-2 w-auto text-sm">
          <thead>
            <tr>
              <th>antenna height</th>
              <th className="num">read, {unitName(unit)}</th>
              <th>measured</th>
              <th>as typed</th>
              <th className="num">mark to ARP, {unitName(unit)}</th>
              <th className="num">from the mean, {fineUnit(unit)}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {readings.map((r, k) => {
              const up = chain?.verticals[k];
              return (
                <tr key={k}>
                  <td>reading {k + 1}</td>
                  <td className="num">
                    <LengthField
                      label={`${tripod ? "Antenna height" : "Pole height"} ${k + 1}`}
                      value={r.metres}
                      unit={unit}
                      decimals={4}
                      onCommit={(metres, typed) => metres !== null && set(k, { metres, typed: typed.slice(0, 40) })}
                    />
                  </td>
                  <td>
                    {tripod ? (
                      <Select
                        label={`How height ${k + 1} is read`}
                        value={r.measured_to}
                        options={WAYS}
                        onChange={(measured_to) => set(k, { measured_to })}
                      />
                    ) : (
                      "the pole's length"
                    )}
                  </td>
                  <td className="text-quiet">{r.typed}</td>
                  <td className="num">{up === undefined ? "" : length(up, unit, 4)}</td>
                  <td className="num">
                    {up === undefined || readings.length < 2 ? "" : fine(up - chain!.arp_above_mark, unit)}
                  </td>
                  <td>
                    <Remove onClick={() => onChange(readings.filter((_, j) => j !== k))} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {readings.length < (tripod ? MOST_READINGS : 1) && (
        <button className="button mt-2 text-sm" onClick={() => onChange([...readings, next])}>
          {readings.length ? "another reading" : "plan a height"}
        </button>
      )}
    </>
  );
}
