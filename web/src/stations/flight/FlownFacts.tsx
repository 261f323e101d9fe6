import type { FlightFigures } from "../../api/client";
import { useSelection } from "../../app/workbench/selection";
import { fine, fineUnit, length } from "../../lib/units";
import { Fact, unitName } from "../../ui/fields";

function ImageFacts({ flown, unit }: { flown: FlightFigures; unit: string }) {
  const u = unitName(unit);
  return (
    <>
      <Fact name="ground sample distance">
        {fine(flown.gsd, unit)} {fineUnit(unit)}
      </Fact>
      <Fact name="exposures">{flown.exposures}</Fact>
      <Fact name="trigger every">
        {length(flown.trigger_distance, "m", 2)} m · {length(flown.trigger_distance, "ft", 2)} ft
      </Fact>
      <Fact name="interval at speed">{flown.trigger_interval.toFixed(2)} s</Fact>
      <Fact name="blur">{flown.blur_px.toFixed(2)} px</Fact>
      <Fact name="footprint">
        {flown.footprint.map((v) => length(v, unit, 0)).join(" × ")} {u}
      </Fact>
    </>
  );
}

function ScanFacts({ scan, unit }: { scan: NonNullable<FlightFigures["scan"]>; unit: string }) {
  return (
    <>
      <Fact name="swath">
        {length(scan.swath, unit, 0)} {unitName(unit)}, {scan.angle_deg.toFixed(0)}°
      </Fact>
      <Fact name="pulses on a m², one pass">{scan.pulses_m2.toFixed(0)}</Fact>
      <Fact name="between returns">
        {fine(scan.spacing, unit, 0)} {fineUnit(unit)}
      </Fact>
      <Fact name="between the scanner's lines">
        {fine(scan.lines_apart, unit, 0)} {fineUnit(unit)}
      </Fact>
      <Fact name="each sortie, before and after">
        {scan.before ? `${scan.before.toFixed(1)} and ${scan.after.toFixed(1)} min: ${scan.sequence}` : "nothing"}
      </Fact>
    </>
  );
}

/** What a flight comes to as it is laid out, and its sorties. */
export function FlownFacts({ flown, unit }: { flown: FlightFigures; unit: string }) {
  const { setGoTo } = useSelection();
  const u = unitName(unit);
  const beside = (["crossing", "oblique", "facade"] as const)
    .map((kind) => [flown.strips.filter((s) => s.kind === kind).length, kind] as const)
    .filter(([count]) => count)
    .map(([count, kind]) => `${count} ${kind}`)
    .join(", ");
  return (
    <div className="mt-3 grid grid-cols-[minmax(0,1fr)] min-[900px]:grid-cols-[minmax(0,1fr)_minmax(280px,360px)] gap-8">
      <dl className="grid grid-cols-[repeat(auto-fill,minmax(140px,1fr))] content-start gap-x-4 gap-y-2 border-t border-hairline pt-2">
        {flown.scan ? <ScanFacts scan={flown.scan} unit={unit} /> : <ImageFacts flown={flown} unit={unit} />}
        {flown.clearance && (
          <Fact name={`least clearance, of ${flown.clearance.over || "the ground"}`}>
            <button
              className="cursor-pointer underline"
              title="Show the place on the sheet"
              onClick={() => setGoTo(flown.clearance)}
            >
              {length(flown.clearance.least, unit, 1)} {u}
            </button>
          </Fact>
        )}
        <Fact name="lines apart">
          {length(flown.spacing, unit, 2)} {u}
        </Fact>
        <Fact name="flight lines">
          {flown.strips.length}
          {beside && ` (${beside})`}
        </Fact>
        <Fact name="flying heights">
          {flown.height_range.map((v) => length(v, unit, 1)).join(" – ")} {u}
        </Fact>
      </dl>
      <table className="table self-start">
        <thead>
          <tr>
            <th>sortie</th>
            <th>lines</th>
            <th className="num">minutes</th>
            <th className="num">out and home</th>
            <th className="num">lands with, %</th>
          </tr>
        </thead>
        <tbody>
          {flown.sorties.map((sortie, k) => (
            <tr key={k}>
              <td>{k + 1}</td>
              <td className="figures">
                {sortie.first_strip + 1}–{sortie.last_strip + 1}
              </td>
              <td className="num">{sortie.minutes.toFixed(1)}</td>
              <td className="num">{(sortie.out + sortie.home).toFixed(1)}</td>
              <td className="num">{sortie.battery_left.toFixed(0)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
