import type { Flight, FlightFigures, Scanner } from "../../api/client";
import { usePlan } from "../../app/plan";
import { speedUnit } from "../../lib/units";
import { Field, NumberField } from "../../ui/fields";
import type { SensorOf } from "./parts";
import { usePart } from "./usePart";

const TRIGGERS = [
  { id: "distance", name: "distance" },
  { id: "time", name: "time" },
];
const ADJUSTMENTS = [
  { id: "none", name: "nothing" },
  { id: "height", name: "one height" },
  { id: "position", name: "a shift" },
  { id: "matched", name: "flight lines matched, mounting and attitude" },
];

interface SensorProps {
  flight: Flight;
  flown: FlightFigures | undefined;
}

/** How a flight uses what it carries. */
export function SensorFields({ flight, flown }: SensorProps) {
  const { plan } = usePlan();
  const { sensor } = flight;
  if (sensor.kind === "images") return <ImageFields flight={flight} use={sensor} flown={flown} />;
  const scanner = plan.kit.scanners.find((s) => s.id === sensor.scanner);
  return scanner ? <ScanFields flight={flight} use={sensor} scanner={scanner} /> : null;
}

function ImageFields({ flight, use, flown }: SensorProps & { use: SensorOf<"images"> }) {
  const speeds = speedUnit(usePlan().plan.brief.unit);
  const { set, number, choice } = usePart(`flights/${flight.id}/sensor`, use);
  return (
    <>
      {number("Forward overlap, %", "forward_overlap")}
      {number("Camera tilt from nadir, °", "tilt_deg")}
      <Field label="Shutter speed, 1/s">
        {(id) => (
          <NumberField
            id={id}
            value={1 / use.exposure_s}
            decimals={0}
            onCommit={(v) => set({ exposure_s: v > 0 ? 1 / v : 0 })}
            width="w-20"
          />
        )}
      </Field>
      {choice("Trigger by", "trigger_by", TRIGGERS)}
      {use.trigger_by === "time" && (
        <Field label={`Fastest over ground, ${speeds.name}`}>
          {(id) => (
            <NumberField
              id={id}
              value={use.worst_speed_m_per_s ?? flown?.fastest ?? flight.speed_m_per_s}
              scale={speeds.scale}
              width="w-16"
              onCommit={(worst_speed_m_per_s) => set({ worst_speed_m_per_s })}
            />
          )}
        </Field>
      )}
    </>
  );
}

/** Of a scan: how much of the angle and of the range is used, whether the inertial unit's sequence is flown, and what targets settle. */
function ScanFields({ flight, use, scanner }: { flight: Flight; use: SensorOf<"scan">; scanner: Scanner }) {
  const { set, metres, choice, tick } = usePart(`flights/${flight.id}/sensor`, use);
  return (
    <>
      <Field label="Angle used, °">
        {(id) => (
          <NumberField
            id={id}
            value={use.scan_angle_deg ?? scanner.field_of_view_deg}
            decimals={0}
            width="w-16"
            onCommit={(scan_angle_deg) => set({ scan_angle_deg })}
          />
        )}
      </Field>
      {metres("Maximum range", "range_gate_m", 0, scanner.most_range)}
      {choice("Adjust to control", "adjustment", ADJUSTMENTS)}
      {tick("fly the inertial unit's sequence", "start_up")}
    </>
  );
}
