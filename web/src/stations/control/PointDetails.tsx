import { upload, type ControlPoint } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits, removed } from "../../lib/edits";
import { fine, fineUnit } from "../../lib/units";
import { fromSourcesAsBefore } from "../positioning";
import { Field, Select, TextField } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remove } from "../../ui/Remove";
import { useDoing } from "../../ui/useDoing";

const LIES: { id: NonNullable<ControlPoint["lies_on"]>; name: string }[] = [
  { id: "", name: "not said" },
  ...(["asphalt", "concrete", "gravel", "soil", "sand", "grass", "crop", "rock", "snow", "mud"] as const).map((id) => ({
    id,
    name: id,
  })),
];
const FACES: { id: NonNullable<ControlPoint["face"]>; name: string }[] = [
  { id: "chequered", name: "chequered" },
  { id: "light", name: "light" },
  { id: "dark", name: "dark" },
];
const EARLIER: { id: NonNullable<ControlPoint["earlier"]>; name: string }[] = [
  { id: "", name: "laid for this job" },
  { id: "not_looked", name: "of an earlier visit, not inspected yet" },
  { id: "stands", name: "of an earlier visit, still stands" },
  { id: "moved", name: "of an earlier visit, was moved" },
  { id: "gone", name: "of an earlier visit, is gone" },
];

/** What the table has no room for: how one point lies, what becomes of it, and what would be without it. */
export function PointDetails({ point }: { point: ControlPoint }) {
  const { plan, result, trial, catalogue, edit } = usePlan();
  const { unit } = plan.brief;
  const object = `control/${point.id}`;
  const set = (change: Partial<ControlPoint>) => void edit(fieldEdits(plan, object, change));
  const lost = result?.reliability?.find((r) => r.id === point.id);
  return (
    <section
      className="mt-1 flex flex-wrap items-end gap-x-4 gap-y-1 border-t border-hairline pt-1 text-sm"
      aria-label={`How ${point.name} lies`}
    >
      <strong className="self-center">{point.name}</strong>
      <Field label="Lies on">
        {(id) => <Select id={id} value={point.lies_on ?? ""} options={LIES} onChange={(v) => set({ lies_on: v })} />}
      </Field>
      <Field label="Target pattern">
        {(id) => (
          <Select id={id} value={point.face ?? "chequered"} options={FACES} onChange={(v) => set({ face: v })} />
        )}
      </Field>
      <Field label="Origin">
        {(id) => <Select id={id} value={point.earlier ?? ""} options={EARLIER} onChange={(v) => set({ earlier: v })} />}
      </Field>
      <label className="flex items-center gap-1 self-center">
        <input
          type="checkbox"
          checked={point.returns ?? false}
          onChange={(event) => set({ returns: event.target.checked })}
        />
        return mark: durable, wanted again
      </label>
      <Field label="Note">
        {(id) => (
          <TextField id={id} value={point.note ?? ""} optional width="w-48" onCommit={(note) => set({ note })} />
        )}
      </Field>
      <Pictures point={point} />
      {point.role === "target" && (
        <span className="self-center">
          if it is lost:{" "}
          {lost ? (
            lost.lost_v === null || lost.lost_v === undefined ? (
              <strong className="text-decision-text">nothing is determined</strong>
            ) : (
              <strong className="figures">
                H {fine(lost.lost_h, unit)} V {fine(lost.lost_v, unit)} {fineUnit(unit)}
              </strong>
            )
          ) : (
            "–"
          )}{" "}
        </span>
      )}
      <Select
        label={`Try ${point.name} observed otherwise`}
        value=""
        options={[{ id: "", name: "try observed by…" }, ...catalogue.methods]}
        onChange={(id) => {
          const occupations = catalogue.methods.find((m) => m.id === id)?.occupations;
          if (occupations)
            trial.ask(fieldEdits(plan, object, { occupations: fromSourcesAsBefore(point, occupations) }));
        }}
      />
      <button
        className="button"
        title="The gauges show what would be; nothing is changed"
        onClick={() => trial.ask([removed(plan, object)])}
      >
        try without it
      </button>
      {trial.live && (
        <button className="button" onClick={trial.clear}>
          as it is again
        </button>
      )}
    </section>
  );
}

/** Photographs and sketches of how it lies, kept with the job. */
function Pictures({ point }: { point: ControlPoint }) {
  const { jobId, plan, edit } = usePlan();
  const { doing, problem, clear } = useDoing();
  const held = point.pictures ?? [];
  const put = (pictures: string[]) => void edit(fieldEdits(plan, `control/${point.id}`, { pictures }));
  async function add(file: File) {
    await doing(async () => {
      const { digest } = await upload<{ digest: string }>(`/jobs/${jobId}/pictures`, { file });
      if (!held.includes(digest)) put([...held, digest]);
    });
  }
  return (
    <span className="flex items-center gap-2 self-center">
      {held.map((digest, k) => (
        <span key={digest} className="flex items-center gap-1">
          <a href={`/api/jobs/${jobId}/pictures/${digest}`} target="_blank" rel="noreferrer">
            <img
              className="h-8 border border-hairline"
              alt={`${point.name}, ${k + 1}`}
              src={`/api/jobs/${jobId}/pictures/${digest}`}
            />
          </a>
          <Remove onClick={() => put(held.filter((other) => other !== digest))} />
        </span>
      ))}
      {held.length < 4 && (
        <label>
          photo or sketch{" "}
          <FileInput label={`Photo or sketch of ${point.name}`} reads="picture" onFile={(file) => void add(file)} />
        </label>
      )}
      {problem && <ProblemNote problem={problem} onClose={clear} />}
    </span>
  );
}
