import { call, type Camera, type Edit } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits } from "../../lib/edits";
import { NumberField, Select, TextField } from "../../ui/fields";
import { Remove } from "../../ui/Remove";

type Entry = NonNullable<Camera["record"]>[number];
const WHAT: { id: NonNullable<Entry["what"]>; name: string }[] = [
  { id: "flight", name: "calibration flight" },
  { id: "laboratory", name: "laboratory" },
  { id: "changed", name: "lens changed or knocked" },
];

/** Of each camera how its lens is reckoned with, and the record behind it: calibrations, and what ended them. */
export function LensRecords() {
  const { plan } = usePlan();
  return (
    <>
      {plan.kit.cameras.map((camera) => (
        <LensRecord key={camera.id} camera={camera} />
      ))}
    </>
  );
}

function LensRecord({ camera }: { camera: Camera }) {
  const { jobId, plan, catalogue, edit } = usePlan();
  const set = (change: Partial<Camera>) => void edit(fieldEdits(plan, `kit/cameras/${camera.id}`, change));
  const record = camera.record ?? [];
  /** What is put on record is reckoned with at once, as it is on the day of the visit. */
  const keep = async (entries: Entry[]) => {
    await edit(await call<Edit[]>("POST", `/jobs/${jobId}/flight/lens`, { camera: camera.id, record: entries }));
  };
  const put = (k: number, change: Partial<Entry>) =>
    void keep(record.map((entry, j) => (j === k ? { ...entry, ...change } : entry)));
  const today = plan.visits.find((v) => v.date)?.date || new Date().toISOString().slice(0, 10);
  return (
    <div className="mb-1 text-sm">
      <p className="flex flex-wrap items-center gap-2">
        lens of {camera.name}, reckoned as calibrated
        <Select
          label={`Calibration of ${camera.name}`}
          value={camera.calibration.state ?? "earlier"}
          options={catalogue.calibrations}
          onChange={(state) => {
            const calibration = catalogue.calibrations.find((c) => c.id === state)?.calibration;
            if (calibration) set({ calibration });
          }}
        />
        <button
          className="button px-1 py-0"
          onClick={() =>
            void keep([...record, { date: today, what: "flight", frames: catalogue.calibration_frames, note: "" }])
          }
        >
          put on record
        </button>
      </p>
      {record.map((entry, k) => (
        <p key={k} className="ml-4 flex flex-wrap items-center gap-2">
          <input
            type="date"
            className="input"
            aria-label={`Date of entry ${k + 1}`}
            value={entry.date}
            onChange={(event) => event.target.value && put(k, { date: event.target.value })}
          />
          <Select
            label={`What of entry ${k + 1}`}
            value={entry.what ?? "flight"}
            options={WHAT}
            onChange={(what) => put(k, { what })}
          />
          {entry.what === "flight" && (
            <>
              <NumberField
                label={`Frames of entry ${k + 1}`}
                value={entry.frames ?? 0}
                decimals={0}
                width="w-16"
                onCommit={(frames) => put(k, { frames })}
              />
              frames
            </>
          )}
          <TextField
            label={`Note of entry ${k + 1}`}
            value={entry.note ?? ""}
            width="w-48"
            onCommit={(note) => put(k, { note })}
          />
          <Remove onClick={() => void keep(record.filter((_, j) => j !== k))}>remove entry {k + 1}</Remove>
        </p>
      ))}
    </div>
  );
}
