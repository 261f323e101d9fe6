import type { Flight } from "../../api/client";
import { usePlan } from "../../app/plan";
import { length } from "../../lib/units";
import { Fact, Field, LengthField, NumberField, Select, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Heading } from "../Tray";

export function FlightTray() {
  const { plan, summary, catalogue, edit } = usePlan();
  const flight = plan.flight;
  const unit = plan.brief.unit!;
  const u = unitName(unit);
  const set = (change: Partial<Flight>) => void edit([{ object: "flight", value: { ...flight, ...change } }]);
  const flown = summary?.flight;
  const number = (label: string, key: keyof Flight, decimals: number, scale = 1) => (
    <Field label={label}>
      {(id) => (
        <NumberField
          id={id}
          value={flight[key] as number}
          decimals={decimals}
          scale={scale}
          onCommit={(v) => set({ [key]: v })}
          width="w-20"
        />
      )}
    </Field>
  );
  return (
    <>
      <Heading title="Flight">
        <span className="text-quiet">follow the aviation law of the place; airspace is looked up again on the day</span>
      </Heading>
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Field label="Camera">
          {(id) => (
            <Select id={id} value={flight.camera!} options={catalogue.cameras} onChange={(camera) => set({ camera })} />
          )}
        </Field>
        <Field label="Aircraft">
          {(id) => (
            <Select
              id={id}
              value={flight.aircraft!}
              options={catalogue.aircraft}
              onChange={(aircraft) => set({ aircraft })}
            />
          )}
        </Field>
        <Field label="Lens calibrated">
          {(id) => (
            <Select
              id={id}
              value={flight.calibration!}
              options={catalogue.calibrations}
              onChange={(calibration) => set({ calibration })}
            />
          )}
        </Field>
        <Field label={`Height above ground, ${u}`}>
          {(id) => (
            <LengthField
              id={id}
              value={flight.height!}
              unit={unit}
              decimals={1}
              width="w-20"
              onCommit={(height) => set({ height: height! })}
            />
          )}
        </Field>
        {number("Forward overlap, %", "forward_overlap", 0)}
        {number("Side overlap, %", "side_overlap", 0)}
        <Field label="Course, grid °">
          {(id) => (
            <span className="flex items-center gap-1">
              <NumberField
                id={id}
                value={flight.course ?? flown?.course ?? 0}
                decimals={0}
                width="w-16"
                onCommit={(course) => set({ course: ((course % 360) + 360) % 360 })}
              />
              <label className="text-sm whitespace-nowrap">
                <input
                  type="checkbox"
                  checked={flight.course === null}
                  onChange={(event) => set({ course: event.target.checked ? null : Math.round(flown?.course ?? 0) })}
                />{" "}
                shortest
              </label>
            </span>
          )}
        </Field>
        {number("Strips beyond", "margin_strips", 0)}
        {number("Exposures beyond", "margin_exposures", 0)}
        {number("Crossing strips", "crossing_strips", 0)}
        {flight.crossing_strips! > 0 && (
          <Field label={`at, ${u}`}>
            {(id) => (
              <LengthField
                id={id}
                value={flight.crossing_height ?? flown?.crossing_height ?? null}
                unit={unit}
                decimals={1}
                width="w-20"
                optional
                quiet={flight.crossing_height === null}
                onCommit={(crossing_height) => set({ crossing_height })}
              />
            )}
          </Field>
        )}
        {number("Oblique strips", "oblique_strips", 0)}
        {flight.oblique_strips! > 0 && number("tilted forward, °", "oblique_tilt", 0)}
        {number("Speed, m/s", "speed", 1)}
        {number("Exposure, 1/1000 s", "exposure_time", 2, 1000)}
        {number("Battery reserve, %", "reserve", 0)}
        <label className="flex items-center gap-1 self-end pb-1">
          <input
            type="checkbox"
            checked={flight.terrain_following}
            onChange={(event) => set({ terrain_following: event.target.checked })}
          />{" "}
          follow the terrain
        </label>
      </div>
      {summary?.faults.flight && <ProblemNote problem={summary.faults.flight} />}
      {flown && (
        <div className="mt-3 grid grid-cols-[minmax(0,1fr)_minmax(280px,360px)] gap-8">
          <dl className="grid grid-cols-[repeat(auto-fill,minmax(140px,1fr))] content-start gap-x-4 gap-y-2 border-t border-hairline pt-2">
            <Fact name="ground sample distance">{(flown.gsd * 1000).toFixed(1)} mm</Fact>
            <Fact name="exposures">{flown.exposures}</Fact>
            <Fact name="trigger every">
              {length(flown.trigger_distance, unit, 2)} {u}
            </Fact>
            <Fact name="interval at speed">{flown.trigger_interval.toFixed(2)} s</Fact>
            <Fact name="strips apart">
              {length(flown.spacing, unit, 2)} {u}
            </Fact>
            <Fact name="blur">{flown.blur_px.toFixed(2)} px</Fact>
            <Fact name="footprint">
              {flown.footprint.map((v) => length(v, unit, 0)).join(" × ")} {u}
            </Fact>
            <Fact name="strips">
              {flown.strips.length}
              {flown.strips.some((s) => s.kind !== "main") &&
                ` (${(["crossing", "oblique"] as const)
                  .map((kind) => [flown.strips.filter((s) => s.kind === kind).length, kind] as const)
                  .filter(([count]) => count)
                  .map(([count, kind]) => `${count} ${kind}`)
                  .join(", ")})`}
            </Fact>
            <Fact name="flying heights">
              {flown.height_range.map((v) => length(v, unit, 1)).join(" – ")} {u}
            </Fact>
          </dl>
          <table className="table self-start">
            <thead>
              <tr>
                <th>leg</th>
                <th>strips</th>
                <th className="num">minutes</th>
                <th className="num">lands with, %</th>
              </tr>
            </thead>
            <tbody>
              {flown.legs.map((leg, k) => (
                <tr key={k}>
                  <td>{k + 1}</td>
                  <td className="figures">
                    {leg.first_strip + 1}–{leg.last_strip + 1}
                  </td>
                  <td className="num">{leg.minutes.toFixed(1)}</td>
                  <td className="num">{leg.battery_left.toFixed(0)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}
