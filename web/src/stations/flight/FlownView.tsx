import { useEffect } from "react";
import type { Flown } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { length } from "../../lib/units";
import { unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { Options } from "../../ui/Options";
import { ProblemNote } from "../../ui/ProblemNote";
import { useCarried, useReading } from "../reading";

/** What was flown, held against the plan: what it missed is drawn on the sheet. Nothing is saved. */
export function FlownView() {
  const { reading, problem, read, choose, clear } = useReading<Flown>("flown");
  const { setBrought } = useOverlay();
  useCarried("flown", ({ file }) => void read({ file: file! }));
  const missed = reading?.held?.missed;
  useEffect(() => {
    setBrought(missed?.length ? { places: missed, lines: [] } : null);
    return () => setBrought(null);
  }, [missed, setBrought]);
  return (
    <section data-testid="flown">
      <p className="max-w-3xl">
        Bring photo positions (a list, or points of a map file) or a track (GPX): what it missed of the plan is drawn,
        and what is not mapped for it is told.
      </p>
      <label className="mt-1 inline-block text-sm">
        positions or track{" "}
        <FileInput label="File of what was flown" reads="flown" onFile={(file) => void read({ file })} />
      </label>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && (
        <>
          <p className="mt-1 text-sm text-quiet">
            {reading.count.toLocaleString("en-GB")} {reading.photos ? "photo positions" : "places of a track"}.{" "}
            {reading.how.join(" ")} {reading.approximate}
          </p>
          <Options options={reading.options} onChoose={(key) => void choose(key)} />
          {reading.held && <Held held={reading.held} />}
        </>
      )}
    </section>
  );
}

function Held({ held }: { held: NonNullable<Flown["held"]> }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const names = new Map(plan.flights.map((f) => [f.id, f.name]));
  return (
    <>
      <p className={`mt-1 font-bold ${held.lost_m2 ? "text-decision-text" : ""}`}>{held.told}</p>
      <p className="text-sm">
        {held.taken} of {held.planned} exposures taken; off the line {length(held.off_line, unit, 2)} {u} in the middle,{" "}
        {length(held.off_line_most, unit, 2)} {u} at most
        {held.off_height !== null &&
          held.off_height_most !== null &&
          `; above the planned height ${length(held.off_height, unit, 2)} ${u} in the middle, ${length(held.off_height_most, unit, 2)} ${u} at most`}
        .
      </p>
      {held.strips.length > 0 && (
        <table className="table mt-1 w-auto text-sm">
          <thead>
            <tr>
              <th>flight</th>
              <th className="num">line</th>
              <th className="num">exposures</th>
              <th className="num">missed</th>
            </tr>
          </thead>
          <tbody>
            {held.strips.map((s) => (
              <tr key={`${s.flight}-${s.strip}`}>
                <td>{names.get(s.flight)}</td>
                <td className="num figures">{s.strip}</td>
                <td className="num figures">{s.planned}</td>
                <td className="num figures">{s.missed}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
