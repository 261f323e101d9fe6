import { useState } from "react";
import { call, upload, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { save } from "../../lib/save";
import { fine, fineUnit, grid } from "../../lib/units";
import { Field, FineField, LengthField, Select, TextField, unitName } from "../../ui/fields";
import { Fine } from "../../ui/Fine";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import type { CloseViewProps } from "./CloseTray";
import { FromLog } from "./FromLog";
import { useDoing } from "../../ui/useDoing";

type Shift = Schemas["BlockShift"];
type Preview = Schemas["ShiftPreview"];

/** The block shift of a base that stood on a position taken "here": shown, applied as a step of its own, taken back. */
export function MendView({ close, steps }: CloseViewProps) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  const applied = close.closing.shift;
  return (
    <>
      <h3 className="font-bold">Block shift</h3>
      {applied && close.shift && (
        <>
          <p data-testid="shift-applied">
            Applied: everything positioned from {plan.marks.find((m) => m.id === applied.mark)?.name ?? applied.mark}{" "}
            moves by <By by={close.shift.by} /> ({applied.source}, ± {fine(applied.sigma_h, unit)} H,{" "}
            {fine(applied.sigma_v, unit)} V {fineUnit(unit)}). Residuals and verdict are those after it.
          </p>
          {!close.frozen && (
            <button
              className="button mt-1"
              disabled={steps.busy}
              onClick={() => void steps.step("shift", { revision: close.revision, shift: null })}
            >
              take the shift back
            </button>
          )}
          <ShiftedFiles />
          <Moved preview={close.shift} />
        </>
      )}
      {!applied && !close.marks_here.length && (
        <p>
          No base of this job stood on a position taken “here”, so there is nothing to shift. Wrong coordinates of a
          known mark are corrected in Base (4), and the block is processed again.
        </p>
      )}
      {!applied && close.marks_here.length > 0 && !close.frozen && (
        <NewShift key={close.marks_here[0]!.id} close={close} steps={steps} />
      )}
      {close.contradictions.length > 0 && (
        <section aria-label="Against the book">
          <h3 className="mt-3 font-bold">Against the book</h3>
          <ul className="list-disc pl-5">
            {close.contradictions.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

/** Where the server says that a shift is farther than such a position is mostly off. */
const FAR = "Close, mend, how far";

function NewShift({ close, steps }: CloseViewProps) {
  const { plan, jobId } = usePlan();
  const { unit } = plan.brief;
  const first = close.marks_here[0]!;
  const [shift, setShift] = useState<Omit<Shift, "h"> & { h: number | null }>({
    mark: first.id,
    e: first.e,
    n: first.n,
    h: first.h,
    sigma_h: 0.01,
    sigma_v: 0.02,
    source: "",
    heights: "job",
    why_so_far: "",
  });
  const [preview, setPreview] = useState<Preview | null>(null);
  const { doing, problem, clear } = useDoing();
  const change = (to: Partial<typeof shift>) => {
    setShift({ ...shift, ...to });
    setPreview(null);
  };

  async function look() {
    await doing(async () => {
      setPreview(await call<Preview>("POST", `/jobs/${jobId}/close/shift/preview`, shift));
    });
  }

  return (
    <>
      <p>
        The base stood on a position taken “here”. Type the coordinates that its mark really has; everything that hangs
        on it moves with it.
      </p>
      <FromLog
        onFixed={(final, source) => {
          const { e, n, h, sigma_h, sigma_v } = final;
          change({ e, n, h, sigma_h, sigma_v, source });
        }}
      />
      <div className="mt-1 flex flex-wrap items-end gap-3">
        <Field label="Mark">
          {(id) => (
            <Select
              id={id}
              value={shift.mark}
              options={close.marks_here}
              onChange={(key) => {
                const mark = close.marks_here.find((m) => m.id === key)!;
                change({ mark: key, e: mark.e, n: mark.n, h: mark.h });
              }}
            />
          )}
        </Field>
        {(["e", "n", "h"] as const).map((axis) => (
          <Field key={axis} label={`${axis.toUpperCase()}, ${unitName(unit)}`}>
            {(id) => (
              <LengthField
                id={id}
                width="w-36"
                unit={unit}
                value={shift[axis]}
                onCommit={(value) => value !== null && change({ [axis]: value })}
              />
            )}
          </Field>
        ))}
        <Field label="The height is">
          {(id) => (
            <Select
              id={id}
              value={shift.heights ?? "job"}
              options={[
                { id: "job", name: "of the job’s heights" },
                { id: "ellipsoidal", name: "ellipsoidal" },
              ]}
              onChange={(heights) => change({ heights: heights })}
            />
          )}
        </Field>
        {(["sigma_h", "sigma_v"] as const).map((axis) => (
          <Field key={axis} label={`± ${axis === "sigma_h" ? "H" : "V"}, ${fineUnit(unit)}`}>
            {(id) => (
              <FineField
                id={id}
                width="w-20"
                unit={unit}
                value={shift[axis]}
                onCommit={(value) => change({ [axis]: value })}
              />
            )}
          </Field>
        ))}
        <Field label="Where they come from">
          {(id) => (
            <TextField id={id} width="w-56" value={shift.source} onCommit={(source) => change({ source })} optional />
          )}
        </Field>
        {(problem?.where === FAR || shift.why_so_far) && (
          <Field label="Why it is so far">
            {(id) => (
              <TextField
                id={id}
                width="w-72"
                value={shift.why_so_far ?? ""}
                onCommit={(why_so_far) => change({ why_so_far })}
                optional
              />
            )}
          </Field>
        )}
        <button className="button" disabled={!shift.source || shift.h === null} onClick={() => void look()}>
          show what it does
        </button>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {preview && (
        <>
          <p className="mt-2" data-testid="shift-preview">
            The map moves by <By by={preview.by} />.{" "}
            {preview.remark && <span className="text-decision-text">{preview.remark}</span>}
          </p>
          <button
            className="button"
            disabled={steps.busy}
            onClick={() => void steps.step("shift", { revision: close.revision, shift })}
          >
            Apply the shift
          </button>
          <Moved preview={preview} />
        </>
      )}
    </>
  );
}

/** What a shift that is applied does to the files: photo positions that are brought in, and the points as they are known. */
function ShiftedFiles() {
  const { jobId } = usePlan();
  const [back, setBack] = useState(false);
  const [told, setTold] = useState("");
  const { doing, problem, clear } = useDoing();
  const move = async (file: File) => {
    setTold("");
    await doing(async () => {
      const fields = { file, back: String(back) };
      const moved = await upload<Schemas["ShiftedFile"]>(`/jobs/${jobId}/close/shift/positions`, fields);
      save(moved.name, moved.text);
      setTold(`${moved.count} positions ${back ? "moved back" : "moved"}: ${moved.name}`);
    });
  };
  return (
    <div className="mt-2 flex flex-wrap items-end gap-3" data-testid="shifted-files">
      <a className="button text-sm" href={`/api/jobs/${jobId}/close/shift/points.csv`}>
        points before and after, CSV
      </a>
      <Field label="Photo positions, CSV">{(id) => <FileInput id={id} onFile={(file) => void move(file)} />}</Field>
      <label className="flex items-center gap-1 text-sm">
        <input type="checkbox" checked={back} onChange={(event) => setBack(event.target.checked)} />
        back, from the mark’s own coordinates to those taken “here”
      </label>
      <p className="w-full text-sm text-quiet">
        The pictures’ own records are left alone: give processing the new list.{" "}
        {told && <span role="status">{told}.</span>}
      </p>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
    </div>
  );
}

function By({ by }: { by: number[] }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  return (
    <span className="figures">
      {grid(by[0]!, unit, 3)} E {grid(by[1]!, unit, 3)} N {grid(by[2]!, unit, 3)} up {unitName(unit)}
    </span>
  );
}

function Moved({ preview }: { preview: Preview }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  const length = (value: number) => grid(value, unit, 3);
  return (
    <div className="overflow-x-auto">
      <table className="table mt-2 text-sm">
        <thead>
          <tr>
            <th>point</th>
            <th className="num">moves E, {unitName(unit)}</th>
            <th className="num">N</th>
            <th className="num">up</th>
            <th className="num">residual before E, {fineUnit(unit)}</th>
            <th className="num">N</th>
            <th className="num">up</th>
            <th className="num">after E</th>
            <th className="num">N</th>
            <th className="num">up</th>
          </tr>
        </thead>
        <tbody>
          {preview.points.map((p) => (
            <tr key={p.point}>
              <td>{p.name}</td>
              {p.by.map((value, k) => (
                <td key={k} className="num">
                  {length(value)}
                </td>
              ))}
              {[p.d_before, p.d_after].flatMap((d, side) =>
                [0, 1, 2].map((k) => (
                  <td key={`${side}${k}`} className="num">
                    <Fine value={d?.[k]} unit={unit} />
                  </td>
                )),
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
