import { useState, type ReactNode } from "react";
import { call, type Edit, type Flight, type FlightFigures, type Plan, type Scanner } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useWorkbench } from "../../app/workbench";
import { added, fieldEdits, freeName, removed, same } from "../../lib/edits";
import { fine, fineUnit, length, speedUnit } from "../../lib/units";
import { Fact, Field, LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { Heading } from "../../ui/Heading";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remove } from "../../ui/Remove";
import { Tabs } from "../../ui/Tabs";
import { AirView } from "./AirView";
import { CoverageView } from "./CoverageView";
import { FlightFiles } from "./FlightFiles";
import { FlownView } from "./FlownView";
import { LightView } from "./LightView";
import { KitView } from "./KitView";
import { PatternFields } from "./PatternFields";
import { SensorField } from "./SensorField";
import { FLIGHT_VIEWS, type FlightView } from "./views";
import { hangingId, hangingOf, hangings } from "../positioning";

const PURPOSES = [
  { id: "map", name: "map" },
  { id: "strengthen", name: "strengthen the height" },
  { id: "corridor", name: "corridor" },
  { id: "facade", name: "facade" },
  { id: "calibrate", name: "calibrate" },
];
const CORRECTIONS = [
  { id: "both", name: "live, raw logged too" },
  { id: "live", name: "live (RTK)" },
  { id: "post_processed", name: "post-processed (PPK)" },
  { id: "none", name: "none" },
];
const TRIGGERS = [
  { id: "distance", name: "distance" },
  { id: "time", name: "time" },
];
const COURSES = [
  { id: "time", name: "shortest" },
  { id: "turns", name: "fewest lines" },
  { id: "wind", name: "across the wind" },
  { id: "", name: "as typed" },
];
const ADJUSTMENTS = [
  { id: "none", name: "nothing" },
  { id: "height", name: "one height" },
  { id: "position", name: "a shift" },
  { id: "matched", name: "flight lines matched, mounting and attitude" },
];
const STATES = [
  { id: "fixed", name: "fixed" },
  { id: "float", name: "float" },
  { id: "code", name: "code only" },
];

const VIEWS: Record<FlightView, () => ReactNode> = {
  flights: Flights,
  kit: KitView,
  coverage: CoverageView,
  air: AirView,
  light: LightView,
  flown: FlownView,
  files: FlightFiles,
};

export function FlightTray() {
  const { view, openView } = useWorkbench();
  const Shown = view in VIEWS ? VIEWS[view as FlightView] : Flights;
  return (
    <>
      <Heading title="Flight">
        <span className="text-quiet">follow the aviation law of the place; airspace is looked up again on the day</span>
      </Heading>
      <Tabs label="Views" tabs={FLIGHT_VIEWS} chosen={view || "flights"} onChoose={openView} />
      <Shown />
    </>
  );
}

function Flights() {
  const { jobId, plan, summary, catalogue, edit } = usePlan();
  const [chosen, choose] = useState<string | null>(null);
  const flight = plan.flights.find((f) => f.id === chosen) ?? plan.flights[0];
  const another = (like: Flight) => {
    const { edits, id } = anotherFlight(plan, like, catalogue.strengthening);
    void edit(edits);
    choose(id);
  };
  const calibrate = async (like: Flight) => {
    const edits = await call<Edit[]>("GET", `/jobs/${jobId}/flight/calibration?flight=${like.id}`);
    if (await edit(edits)) choose(edits[edits.length - 1]!.path.split("/")[1]!);
  };
  return (
    <>
      <Tabs label="Flights" tabs={plan.flights} chosen={flight?.id} onChoose={choose}>
        {flight && (
          <button className="button text-sm" onClick={() => another(flight)}>
            another flight
          </button>
        )}
        {flight?.camera && (
          <button className="button text-sm" onClick={() => void calibrate(flight)}>
            a calibration flight
          </button>
        )}
        {flight && plan.flights.length > 1 && (
          <Remove onClick={() => void edit([removed(plan, `flights/${flight.id}`)])}>remove {flight.name}</Remove>
        )}
      </Tabs>
      {flight ? (
        <OneFlight key={flight.id} flight={flight} flown={summary?.flights.find((f) => f.id === flight.id)} />
      ) : (
        <p className="text-quiet">No flight yet.</p>
      )}
    </>
  );
}

/** A further flight like the chosen one: straight after it; of images for the height, with the camera tilted. */
function anotherFlight(plan: Plan, like: Flight, strengthening: Partial<Flight>): { edits: Edit[]; id: string } {
  const id = freeName("F", plan.flights);
  const other = like.scanner ? {} : strengthening;
  const flight = { ...like, ...other, id, name: `flight ${plan.flights.length + 1}` };
  return { edits: [added("flights", flight)], id };
}

function OneFlight({ flight, flown }: { flight: Flight; flown: FlightFigures | undefined }) {
  const { plan, summary, edit } = usePlan();
  const { unit } = plan.brief;
  const speeds = speedUnit(unit);
  const u = unitName(unit);
  const path = `flights/${flight.id}`;
  const scanner = plan.kit.scanners.find((s) => s.id === flight.scanner);
  const laid = flight.pattern ?? "block";
  const set = (change: Partial<Flight>) => void edit(fieldEdits(plan, path, change));
  const fault = summary?.faults[`flight/${flight.id}`];
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
  const choice = <K extends "purpose" | "corrections" | "state" | "adjustment" | "trigger_by">(
    label: string,
    key: K,
    options: { id: string; name: string }[],
  ) => (
    <Field label={label}>
      {(id) => (
        <Select<Flight[K]>
          id={id}
          value={flight[key]}
          options={options}
          onChange={(value) => set({ [key]: value } as Partial<Flight>)}
        />
      )}
    </Field>
  );
  return (
    <>
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Field label="Name">
          {(id) => <TextField id={id} value={flight.name} onCommit={(name) => set({ name })} width="w-32" />}
        </Field>
        {choice("Purpose", "purpose", PURPOSES)}
        <KitFields flight={flight} />
        <PatternFields flight={flight} flown={flown} />
        <Field label={`Height above ground, ${u}`}>
          {(id) => (
            <LengthField
              id={id}
              value={flight.height}
              unit={unit}
              decimals={1}
              width="w-20"
              onCommit={(height) => height !== null && set({ height })}
            />
          )}
        </Field>
        {!scanner && number("Forward overlap, %", "forward_overlap", 0)}
        {number("Side overlap, %", "side_overlap", 0)}
        {scanner ? <ScanFields flight={flight} scanner={scanner} /> : number("Camera tilt from nadir, °", "tilt", 0)}
        {laid === "block" && (
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
                <Select
                  label="Course by"
                  value={flight.course === null ? (flight.course_by ?? "time") : ""}
                  options={COURSES}
                  onChange={(by) =>
                    set(
                      by
                        ? { course: null, course_by: by as Flight["course_by"] }
                        : { course: Math.round(flown?.course ?? 0) },
                    )
                  }
                />
              </span>
            )}
          </Field>
        )}
        {laid !== "own" && laid !== "facade" && number("Extra lines each side", "margin_strips", 0)}
        {!scanner && laid !== "own" && number("Extra images each end", "margin_exposures", 0)}
        {!scanner && (laid === "block" || laid === "corridor") && (flight.margin_strips ?? 0) < 2 && (
          <Field label="Reason for fewer">
            {(id) => (
              <TextField
                id={id}
                value={flight.margin_reason ?? ""}
                width="w-44"
                onCommit={(margin_reason) => set({ margin_reason })}
              />
            )}
          </Field>
        )}
        {laid === "block" && number("Cross lines", "crossing_strips", 0)}
        {laid === "block" && flight.crossing_strips > 0 && (
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
        {!scanner && laid === "block" && number("Oblique lines", "oblique_strips", 0)}
        {!scanner && laid === "block" && number("Oblique lines across", "oblique_across", 0)}
        {!scanner &&
          laid === "block" &&
          flight.oblique_strips + (flight.oblique_across ?? 0) > 0 &&
          number("Forward tilt, °", "oblique_tilt", 0)}
        {number(`Speed, ${speeds.name}`, "speed", 1, speeds.scale)}
        {!scanner && (
          <Field label="Shutter speed, 1/s">
            {(id) => (
              <NumberField
                id={id}
                value={1 / flight.exposure_time}
                decimals={0}
                onCommit={(v) => set({ exposure_time: v > 0 ? 1 / v : 0 })}
                width="w-20"
              />
            )}
          </Field>
        )}
        {!scanner && choice("Trigger by", "trigger_by", TRIGGERS)}
        {!scanner && flight.trigger_by === "time" && (
          <Field label={`Fastest over ground, ${speeds.name}`}>
            {(id) => (
              <NumberField
                id={id}
                value={flight.worst_speed ?? flown?.fastest ?? flight.speed}
                scale={speeds.scale}
                width="w-16"
                onCommit={(worst_speed) => set({ worst_speed })}
              />
            )}
          </Field>
        )}
        {number("Battery reserve, %", "reserve", 0)}
        <Field label={`Return height, ${u}`}>
          {(id) => (
            <LengthField
              id={id}
              value={flight.return_height ?? flight.height}
              unit={unit}
              decimals={1}
              width="w-20"
              optional
              quiet={flight.return_height === null}
              onCommit={(return_height) => set({ return_height })}
            />
          )}
        </Field>
        <Field label="Corrections from">
          {(id) => (
            <Select
              id={id}
              value={hangingId(flight.hangs_on)}
              options={hangings(plan, "flight")}
              onChange={(hung) => set({ hangs_on: hangingOf(hung) as Flight["hangs_on"] })}
            />
          )}
        </Field>
        {choice("applied", "corrections", CORRECTIONS)}
        {flight.corrections !== "none" && choice(scanner ? "Trajectory" : "Camera positions", "state", STATES)}
        {scanner && choice("Adjust to control", "adjustment", ADJUSTMENTS)}
        <label className="flex items-center gap-1 self-end pb-1">
          <input
            type="checkbox"
            checked={flight.terrain_following}
            onChange={(event) => set({ terrain_following: event.target.checked })}
          />{" "}
          follow the terrain
        </label>
      </div>
      {fault && <ProblemNote problem={fault} />}
      {flown && <Flown flown={flown} unit={unit} />}
    </>
  );
}

/** Of a scan: how much of the angle and of the range is used, and whether the inertial unit's sequence is flown. */
function ScanFields({ flight, scanner }: { flight: Flight; scanner: Scanner }) {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const set = (change: Partial<Flight>) => void edit(fieldEdits(plan, `flights/${flight.id}`, change));
  return (
    <>
      <Field label="Angle used, °">
        {(id) => (
          <NumberField
            id={id}
            value={flight.scan_angle ?? scanner.field_of_view_deg}
            decimals={0}
            width="w-16"
            onCommit={(scan_angle) => set({ scan_angle })}
          />
        )}
      </Field>
      <Field label={`Maximum range, ${unitName(unit)}`}>
        {(id) => (
          <LengthField
            id={id}
            value={flight.range_gate ?? scanner.most_range}
            unit={unit}
            decimals={0}
            width="w-16"
            optional
            quiet={flight.range_gate === null}
            onCommit={(range_gate) => set({ range_gate })}
          />
        )}
      </Field>
      <label className="flex items-center gap-1 self-end pb-1">
        <input
          type="checkbox"
          checked={flight.start_up}
          onChange={(event) => set({ start_up: event.target.checked })}
        />{" "}
        fly the inertial unit&apos;s sequence
      </label>
    </>
  );
}

/** Camera with its calibration, aircraft and battery: of the plan's kit, or taken into it from the library. */
function KitFields({ flight }: { flight: Flight }) {
  const { plan, catalogue, edit } = usePlan();
  const camera = plan.kit.cameras.find((c) => c.id === flight.camera);
  const newer = catalogue.cameras.find(
    (c) => c.id === camera?.origin?.id && c.origin!.revision > camera.origin.revision,
  );
  const pick = <T extends { id: string; name: string }>(
    label: string,
    key: "aircraft" | "battery",
    kind: "aircraft" | "batteries",
    shelf: T[],
  ) => {
    const own = plan.kit[kind] as { id: string; name: string }[];
    const options = [...own, ...shelf.filter((s) => !own.some((o) => o.id === s.id))];
    const take = (id: string) => {
      const missing = own.some((o) => o.id === id) ? undefined : shelf.find((s) => s.id === id);
      void edit([
        ...(missing ? [added(`kit/${kind}`, missing)] : []),
        ...fieldEdits(plan, `flights/${flight.id}`, { [key]: id }),
      ]);
    };
    return (
      <Field label={label}>{(id) => <Select id={id} value={flight[key]} options={options} onChange={take} />}</Field>
    );
  };
  return (
    <>
      <SensorField flight={flight} />
      {camera && (
        <Field label="Lens calibration">
          {(id) => (
            <Select
              id={id}
              value={camera.calibration.state}
              options={catalogue.calibrations}
              onChange={(state) => {
                const calibration = catalogue.calibrations.find((c) => c.id === state)?.calibration;
                if (calibration) void edit(fieldEdits(plan, `kit/cameras/${camera.id}`, { calibration }));
              }}
            />
          )}
        </Field>
      )}
      {newer && camera && (
        <button
          className="button self-end text-sm"
          onClick={() =>
            void edit(fieldEdits(plan, `kit/cameras/${camera.id}`, { ...newer, calibration: camera.calibration }))
          }
          disabled={same({ ...newer, calibration: camera.calibration }, camera)}
        >
          newer profile of this camera: use it
        </button>
      )}
      {pick("Aircraft", "aircraft", "aircraft", catalogue.aircraft)}
      {pick("Battery", "battery", "batteries", catalogue.batteries)}
    </>
  );
}

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

function Flown({ flown, unit }: { flown: FlightFigures; unit: string }) {
  const { setGoTo } = useWorkbench();
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
              onClick={() => setGoTo(flown.clearance!)}
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
          {flown.legs.map((leg, k) => (
            <tr key={k}>
              <td>{k + 1}</td>
              <td className="figures">
                {leg.first_strip + 1}–{leg.last_strip + 1}
              </td>
              <td className="num">{leg.minutes.toFixed(1)}</td>
              <td className="num">{(leg.out + leg.home).toFixed(1)}</td>
              <td className="num">{leg.battery_left.toFixed(0)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
