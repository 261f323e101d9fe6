import { useState } from "react";
import { upload, type Camera, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, freeName, removed } from "../../lib/edits";
import { NumberField, Select, TextField } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { ActionsHead, Remove } from "../../ui/Remove";

const SHUTTERS = [
  { id: "mechanical", name: "mechanical" },
  { id: "rolling", name: "rolling" },
];

interface Read {
  value: Camera;
  how: string[];
}

/** The cameras of the plan, as their data sheets have them; one read from a sample image, or typed. */
export function KitView() {
  const { jobId, plan, edit } = usePlan();
  const [read, setRead] = useState<Read | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const take = (camera: Camera) => {
    const row: Camera = { ...camera, id: freeName("C", plan.kit.cameras), origin: null };
    void edit([added("kit/cameras", row)]);
    setRead(null);
  };
  const like = plan.kit.cameras[0];
  async function bring(file: File) {
    setRead(null);
    setProblem(null);
    try {
      setRead(await upload<Read>(`/jobs/${jobId}/flight/camera`, { file }));
    } catch (error) {
      setProblem(error as Problem);
    }
  }
  return (
    <section data-testid="kit">
      <Cameras />
      <div className="mt-1 flex flex-wrap items-center gap-3">
        {like && (
          <button className="button text-sm" onClick={() => take({ ...like, name: `${like.name}, own`.slice(0, 60) })}>
            type one from its data sheet
          </button>
        )}
        <label className="text-sm">
          or from one of its images, as it came from the camera{" "}
          <input
            type="file"
            aria-label="Sample image"
            accept="image/jpeg"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) void bring(file);
              event.target.value = "";
            }}
          />
        </label>
      </div>
      {problem && <ProblemNote problem={problem} onClose={() => setProblem(null)} />}
      {read && (
        <div className="mt-1 border-l-4 border-settled px-2 text-sm">
          <p>
            <strong>{read.value.name}</strong>: {read.value.width_px} × {read.value.height_px} pixels of{" "}
            {read.value.pixel_um} µm, {read.value.focal_mm} mm. {read.how.join(" ")}
          </p>
          <button className="button mt-1" onClick={() => take(read.value)}>
            Take this camera
          </button>{" "}
          <button className="button" onClick={() => setRead(null)}>
            Leave it
          </button>
        </div>
      )}
      <p className="mt-1 max-w-3xl text-sm text-quiet">
        Figures are those of the whole sensor, with distortion correction off in the camera: a corrected or cut image
        has another focal length and another pattern. A lens that was changed or knocked counts as never calibrated.
      </p>
    </section>
  );
}

function Cameras() {
  const { plan, catalogue, edit } = usePlan();
  const flown = new Set(plan.flights.map((f) => f.camera));
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th>camera</th>
          <th className="num">pixels across</th>
          <th className="num">along</th>
          <th className="num">pixel, µm</th>
          <th className="num">focal length, mm</th>
          <th>shutter</th>
          <th className="num" title="seconds from one image to the next at least">
            s apart
          </th>
          <th>lens calibrated</th>
          <ActionsHead />
        </tr>
      </thead>
      <tbody>
        {plan.kit.cameras.map((camera) => {
          const set = (change: Partial<Camera>) => void edit(fieldEdits(plan, `kit/cameras/${camera.id}`, change));
          const number = (
            key: "width_px" | "height_px" | "pixel_um" | "focal_mm" | "least_interval_s",
            decimals: number,
            words: string,
          ) => (
            <td className="num">
              <NumberField
                label={`${words} of ${camera.name}`}
                value={camera[key] ?? 0}
                decimals={decimals}
                width="w-16"
                onCommit={(value) => set({ [key]: value })}
              />
            </td>
          );
          return (
            <tr key={camera.id}>
              <td>
                <TextField
                  label={`Name of ${camera.name}`}
                  value={camera.name}
                  width="w-44"
                  onCommit={(name) => set({ name })}
                />
              </td>
              {number("width_px", 0, "Pixels across")}
              {number("height_px", 0, "Pixels along")}
              {number("pixel_um", 3, "Pixel in micrometres")}
              {number("focal_mm", 2, "Focal length in millimetres")}
              <td>
                <Select
                  label={`Shutter of ${camera.name}`}
                  value={camera.shutter}
                  options={SHUTTERS}
                  onChange={(shutter) => set({ shutter: shutter as Camera["shutter"] })}
                />
              </td>
              {number("least_interval_s", 1, "Seconds between images")}
              <td>
                <Select
                  label={`Calibration of ${camera.name}`}
                  value={camera.calibration.state}
                  options={catalogue.calibrations}
                  onChange={(state) => {
                    const calibration = catalogue.calibrations.find((c) => c.id === state)?.calibration;
                    if (calibration) set({ calibration });
                  }}
                />
              </td>
              <td>
                {!flown.has(camera.id) && (
                  <Remove onClick={() => void edit([removed(plan, `kit/cameras/${camera.id}`)])}>
                    remove {camera.name}
                  </Remove>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
