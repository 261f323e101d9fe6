import type { Flight, FlightFigures } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, same } from "../../lib/edits";
import { speedUnit } from "../../lib/units";
import { Field, Select, TextField } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { positionSourceId, positionSourceOf, positionSources } from "../positioning";
import { FlownFacts } from "./FlownFacts";
import { FollowFile } from "./FollowFile";
import { carried } from "./parts";
import { PatternFields } from "./PatternFields";
import { SensorField } from "./SensorField";
import { SensorFields } from "./SensorFields";
import { usePart } from "./usePart";

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
const STATES = [
  { id: "fixed", name: "fixed" },
  { id: "float", name: "float" },
  { id: "code", name: "code only" },
];

/** One flight: what it is flown with, its lines, its sensor, and what corrects its positions. */
export function FlightFields({ flight, flown }: { flight: Flight; flown: FlightFigures | undefined }) {
  const { plan, summary } = usePlan();
  const { unit } = plan.brief;
  const speeds = speedUnit(unit);
  const { set, number, metres, choice, tick } = usePart(`flights/${flight.id}`, flight);
  const fault = summary?.faults[`flight/${flight.id}`];
  return (
    <>
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Field label="Name">
          {(id) => <TextField id={id} value={flight.name} onCommit={(name) => set({ name })} width="w-32" />}
        </Field>
        {choice("Purpose", "purpose", PURPOSES)}
        <KitFields flight={flight} />
        {metres("Height above ground", "height_m")}
        {tick("follow the terrain", "terrain_following")}
        {number(`Speed, ${speeds.name}`, "speed_m_per_s", 1, speeds.scale)}
        <SensorFields flight={flight} flown={flown} />
        <PatternFields flight={flight} flown={flown} />
        {number("Battery reserve, %", "reserve_percent")}
        {metres("Return height", "return_height_m", 1, flight.height_m)}
        <Field label="Corrections from">
          {(id) => (
            <Select
              id={id}
              value={positionSourceId(flight.positioned_from)}
              options={positionSources(plan, "flight")}
              onChange={(hung) => set({ positioned_from: positionSourceOf(hung) as Flight["positioned_from"] })}
            />
          )}
        </Field>
        {choice("applied", "corrections", CORRECTIONS)}
        {flight.corrections !== "none" &&
          choice(flight.sensor.kind === "scan" ? "Trajectory" : "Camera positions", "state", STATES)}
        {flight.pattern.kind !== "own" && <FollowFile flight={flight} />}
      </div>
      {fault && <ProblemNote problem={fault} />}
      {flown && <FlownFacts flown={flown} unit={unit} />}
    </>
  );
}

/** Camera with its calibration, aircraft and battery: of the plan's kit, or taken into it from the library. */
function KitFields({ flight }: { flight: Flight }) {
  const { plan, catalogue, edit } = usePlan();
  const camera = plan.kit.cameras.find((c) => c.id === carried(flight));
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
