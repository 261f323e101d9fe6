import { useState } from "react";
import { upload } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { useDoing } from "../../ui/useDoing";
import type { CloseViewProps } from "./CloseTray";
import { Columns, Points, type Reading, type Used } from "./residualTables";

/** What the user said of a file, beyond what is in it. */
interface Said {
  means?: string[];
  unit: string;
  turned: boolean;
  axes: "" | "grid" | "local";
}
const NOTHING_SAID: Said = { unit: "", turned: false, axes: "" };

/** A file or a list of residuals: how it is read, which points adjusted and which checked. */
export function ReadResiduals({ close, steps, onDone }: CloseViewProps & { onDone: () => void }) {
  const { jobId } = usePlan();
  const [source, setSource] = useState<{ file: File | null; text: string }>({ file: null, text: "" });
  const [said, setSaid] = useState<Said>(NOTHING_SAID);
  const [reading, setReading] = useState<Reading | null>(null);
  const { doing, problem, clear } = useDoing();
  const [used, setUsed] = useState<Record<string, Used>>({});
  const [counts, setCounts] = useState({ images: "", positions: "" });

  async function read(from = source, now = said) {
    setSaid(now);
    const fields: Record<string, string | File> = { unit: now.unit, turned: String(now.turned), axes: now.axes };
    if (now.means) fields.means = now.means.join(",");
    if (from.file) fields.file = from.file;
    else fields.text = from.text;
    await doing(async () => {
      setReading(await upload<Reading>(`/jobs/${jobId}/close/read`, fields));
    });
  }

  function start(from: { file: File | null; text: string }) {
    setSource(from);
    setReading(null);
    setUsed({});
    void read(from, NOTHING_SAID);
  }

  const rows = (reading?.outcomes ?? []).map((row) => ({ ...row, used: used[row.point] ?? row.used }));
  const count = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : null);

  async function take() {
    const body = {
      revision: close.revision,
      taken: {
        file: source.file?.name ?? "pasted list",
        how: reading!.how,
        outcomes: rows.map(({ point, used: use, d, images }) => ({ point, used: use, d, images })),
        images: count(counts.images),
        positions: count(counts.positions),
      },
    };
    if (await steps.step("residuals", body)) onDone();
  }

  return (
    <div>
      <p>
        Residuals at the points, map minus survey, as a table in whatever columns your processing writes. Nothing is
        taken before you have seen how it is read.
      </p>
      <div className="mt-1 flex flex-wrap items-start gap-3">
        <Field label="File (CSV or text)">
          {(id) => <FileInput id={id} onFile={(file) => start({ file, text: "" })} />}
        </Field>
        <Field label="or paste it">
          {(id) => (
            <textarea
              id={id}
              className="input figures h-14 w-72 max-w-full text-sm"
              value={source.text}
              onChange={(event) => setSource({ file: null, text: event.target.value })}
            />
          )}
        </Field>
        <button
          className="button self-end"
          disabled={!source.text.trim()}
          onClick={() => start({ file: null, text: source.text })}
        >
          Read it
        </button>
        {close.closing.sets.length > 0 && (
          <button className="button self-end" onClick={onDone}>
            discard
          </button>
        )}
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && (
        <section aria-label="How it is read" className="mt-2 border border-ink bg-sheet p-2">
          <p className="font-bold">This is how I read it</p>
          <p className="text-sm">{reading.how.join(" ")}</p>
          <Columns reading={reading} onChange={(means) => void read(source, { ...said, means })} />
          {reading.asks && (
            <p className="mt-1 border-l-4 border-decision bg-decision-wash px-2 py-1 font-bold">{reading.asks}</p>
          )}
          <div className="mt-1 flex flex-wrap items-center gap-2">
            {reading.units.map((unit) => (
              <button key={unit} className="button" onClick={() => void read(source, { ...said, unit })}>
                in {unit}
              </button>
            ))}
            {reading.axes.map(({ id, name }) => (
              <button
                key={id}
                className="button"
                onClick={() => void read(source, { ...said, axes: id as Said["axes"] })}
              >
                along {name}
              </button>
            ))}
            <label className="flex items-center gap-1 text-sm">
              <input
                type="checkbox"
                checked={said.turned}
                onChange={(event) => void read(source, { ...said, turned: event.target.checked })}
              />
              the file has survey minus map
            </label>
          </div>
          {reading.unknown.length > 0 && (
            <p className="text-sm">Not in the plan, left out: {reading.unknown.slice(0, 12).join(", ")}.</p>
          )}
          {rows.length > 0 && !reading.asks && (
            <>
              <p className="mt-2">
                Which points adjusted the block, and which only checked it? A check that adjusted proves nothing.
              </p>
              <Points rows={rows} onUse={(point, use) => setUsed({ ...used, [point]: use })} />
              <div className="mt-2 flex flex-wrap items-end gap-3">
                {(["images", "positions"] as const).map((what) => (
                  <Field key={what} label={`${what} that processing used`}>
                    {(id) => (
                      <input
                        id={id}
                        className="input figures w-24 text-right"
                        inputMode="numeric"
                        placeholder="not said"
                        value={counts[what]}
                        onChange={(event) => setCounts({ ...counts, [what]: event.target.value })}
                      />
                    )}
                  </Field>
                ))}
                <button
                  className="button min-h-[32px]"
                  disabled={steps.busy || !rows.some((r) => r.used === "checked")}
                  onClick={() => void take()}
                >
                  Judge these
                </button>
              </div>
            </>
          )}
        </section>
      )}
    </div>
  );
}
