import { useState } from "react";
import { upload, type Camera } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, freeName } from "../../lib/edits";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { OrganisationKit } from "./OrganisationKit";
import { LensRecords } from "./LensRecords";
import { carried } from "./parts";
import { Profiles, type Column } from "./Profiles";
import { useDoing } from "../../ui/useDoing";

const CAMERA: Column[] = [
  { path: "width_px", head: "pixels across", words: "Pixels across" },
  { path: "height_px", head: "pixels along", words: "Pixels along" },
  { path: "pixel_um", head: "pixel, µm", words: "Pixel in micrometres", decimals: 3 },
  { path: "focal_mm", head: "focal length, mm", words: "Focal length in millimetres", decimals: 2 },
  {
    path: "shutter",
    head: "shutter",
    words: "Shutter",
    options: [
      { id: "mechanical", name: "mechanical" },
      { id: "rolling", name: "rolling" },
    ],
  },
  {
    path: "least_interval_s",
    head: "s apart",
    words: "Seconds between images",
    decimals: 1,
    title: "seconds from one image to the next at least",
  },
  { path: "f_number", head: "f/", words: "F-number", decimals: 1, title: "the opening it is usually flown at" },
  { path: "most_iso", head: "ISO up to", words: "Highest sensitivity" },
  {
    path: "readout_ms",
    head: "readout, ms",
    words: "Readout",
    title: "of a rolling shutter, from the first row to the last",
  },
];
const SCANNER: Column[] = [
  {
    path: "pattern",
    head: "pattern",
    words: "Pattern",
    options: [
      { id: "lines", name: "lines" },
      { id: "zigzag", name: "zigzag" },
      { id: "rosette", name: "rosette" },
    ],
  },
  { path: "field_of_view_deg", head: "field of view, °", words: "Field of view" },
  { path: "pulses_per_s", head: "pulses/s", words: "Pulses a second" },
  { path: "lines_per_s", head: "lines/s", words: "Lines a second" },
  { path: "returns", head: "returns", words: "Returns of a pulse" },
  { path: "most_range", head: "range, m", words: "Longest range" },
  { path: "range_noise_m", head: "noise, mm", words: "Range noise", scale: 1000 },
  { path: "beam_deg", head: "beam, °", words: "Beam angle", decimals: 3, title: "how well the beam's angle is known" },
  { path: "divergence_mrad", head: "divergence, mrad", words: "Divergence", decimals: 2 },
];
const UNIT: Column[] = [
  { path: "unit/roll_pitch_deg", head: "roll, pitch, °", words: "Roll and pitch", decimals: 3 },
  { path: "unit/heading_deg", head: "heading, °", words: "Heading", decimals: 3 },
  { path: "unit/position_m/0", head: "position H, mm", words: "Position in plan", scale: 1000 },
  { path: "unit/position_m/1", head: "V, mm", words: "Position in height", scale: 1000 },
  { path: "unit/boresight_deg/0", head: "mounting roll, °", words: "Boresight roll", decimals: 3 },
  { path: "unit/boresight_deg/1", head: "pitch, °", words: "Boresight pitch", decimals: 3 },
  { path: "unit/boresight_deg/2", head: "heading, °", words: "Boresight heading", decimals: 3 },
  { path: "unit/range_bias_m", head: "range bias, mm", words: "Range bias", scale: 1000 },
  { path: "start_up/still_s", head: "still, s", words: "Seconds still" },
  { path: "start_up/straight_s", head: "straight, s", words: "Seconds straight" },
  { path: "start_up/eights", head: "eights", words: "Figures of eight" },
  {
    path: "start_up/after",
    head: "after too",
    words: "Sequence after the flight",
    options: [
      { id: "true", name: "yes" },
      { id: "false", name: "no" },
    ],
  },
];
const AIRCRAFT: Column[] = [
  { path: "cruise_m_per_s", head: "cruise, m/s", words: "Cruising speed", decimals: 1 },
  { path: "max_m_per_s", head: "most, m/s", words: "Highest speed", decimals: 1 },
  { path: "climb_m_per_s", head: "climb, m/s", words: "Climb", decimals: 1 },
  { path: "descend_m_per_s", head: "descent, m/s", words: "Descent", decimals: 1 },
  { path: "accelerate_m_per_s2", head: "acceleration, m/s²", words: "Acceleration", decimals: 1 },
  { path: "turn_s", head: "turn, s", words: "Seconds for a turn" },
  { path: "transit_min", head: "a way at least, min", words: "Least minutes out, and home", decimals: 1 },
];
const BATTERY: Column[] = [{ path: "minutes", head: "minutes", words: "Minutes in the air", decimals: 1 }];
const POLE: Column[] = [{ path: "height", head: "mark to ARP, m", words: "Height", decimals: 3 }];
const A_POLE = { id: "pole", name: "pole", height: 1.8 };

interface Read {
  value: Camera;
  how: string[];
}

/** What the plan is flown and measured with, as data sheets have it: typed, or a camera read from a sample image. */
export function KitView() {
  const { plan } = usePlan();
  const of = (key: "aircraft" | "battery") => new Set(plan.flights.map((f) => f[key]));
  const sensors = new Set(plan.flights.map(carried));
  const poles = new Set(plan.control.flatMap((p) => (p.occupations ?? []).map((o) => o.pole ?? null)));
  return (
    <section data-testid="kit">
      <Profiles kind="cameras" what="camera" columns={CAMERA} used={sensors} />
      <LensRecords />
      <SampleImage />
      <Profiles kind="scanners" what="scanner" columns={SCANNER} used={sensors} />
      {plan.kit.scanners.length > 0 && <InertialUnits />}
      <Profiles kind="aircraft" what="aircraft" columns={AIRCRAFT} used={of("aircraft")} />
      <Profiles kind="batteries" what="battery" columns={BATTERY} used={of("battery")} />
      <Profiles kind="poles" what="pole" columns={POLE} used={poles} first={A_POLE} />
      <OrganisationKit />
    </section>
  );
}

function InertialUnits() {
  return (
    <details className="text-sm">
      <summary className="cursor-pointer">inertial units: how well they and the mounting are known</summary>
      <Profiles kind="scanners" what="scanner" columns={UNIT} used={new Set()} bare />
    </details>
  );
}

function SampleImage() {
  const { jobId, plan, edit } = usePlan();
  const [read, setRead] = useState<Read | null>(null);
  const { doing, problem, clear } = useDoing();
  const take = (camera: Camera) => {
    const row: Camera = { ...camera, id: freeName("C", plan.kit.cameras), origin: null };
    void edit([added("kit/cameras", row)]);
    setRead(null);
  };
  async function bring(file: File) {
    setRead(null);
    await doing(async () => {
      setRead(await upload<Read>(`/jobs/${jobId}/flight/camera`, { file }));
    });
  }
  return (
    <div className="mb-2 border-b border-hairline pb-1">
      <label className="text-sm">
        a camera from one of its images, as it came from the camera{" "}
        <FileInput label="Sample image" words="image…" reads="photo" onFile={(file) => void bring(file)} />
      </label>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {read && (
        <div className="mt-1 border-l-4 border-settled px-2 text-sm">
          <p>
            <strong>{read.value.name}</strong>: {read.value.width_px} × {read.value.height_px} pixels of{" "}
            {read.value.pixel_um} µm, {read.value.focal_mm} mm. {read.how.join(" ")}
          </p>
          <button className="button mt-1" onClick={() => take(read.value)}>
            Use this camera
          </button>{" "}
          <button className="button" onClick={() => setRead(null)}>
            Discard
          </button>
        </div>
      )}
      <p className="max-w-3xl text-sm text-quiet">
        Figures are those of the whole sensor, with distortion correction off in the camera: a corrected or cut image
        has another focal length and another pattern. A lens that was changed or knocked counts as never calibrated.
      </p>
    </div>
  );
}
