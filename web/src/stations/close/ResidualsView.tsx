import { useState } from "react";
import { upload, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fineUnit } from "../../lib/units";
import { Field, Select } from "../../ui/fields";
import { Fine } from "../../ui/Fine";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import type { CloseViewProps } from "./CloseTray";
import { useDoing } from "../../ui/useDoing";

type Reading = Schemas["ResidualReading"];
type Outcome = Schemas["Outcome"];
type Used = Outcome["used"];

const USED = [
  { id: "adjusted", name: "adjusted" },
  { id: "checked", name: "checked" },
  { id: "unused", name: "not used" },
];

/** Residuals in: how the file is read, which points adjusted and which checked, then taken. */
export function ResidualsView({ close, steps }: CloseViewProps) {
  const [open, setOpen] = useState(false);
  const taken = close.closing.sets.at(-1);
  if (!taken || open) return <BringIn close={close} steps={steps} onDone={() => setOpen(false)} />;
  const counts = [
    taken.images !== null && `${taken.images} images`,
    taken.positions !== null && `${taken.positions} positions`,
  ].filter(Boolean);
  /** What a point is used for may turn out wrong after judging: the set is judged anew, the earlier one stays on record. */
  const use = (line: Schemas["ResidualLine"], used: Used) => {
    const known = taken.outcomes.some((o) => o.point === line.point);
    const others = known ? taken.outcomes : [...taken.outcomes, { point: line.point, used, d: null, images: null }];
    const outcomes = others.map((o) => (o.point === line.point ? { ...o, used } : o));
    const how = [...taken.how, `${line.name}: ${USED.find((u) => u.id === used)!.name}, said after judging.`].slice(
      -20,
    );
    void steps.step("residuals", { revision: close.revision, taken: { ...taken, outcomes, how } });
  };
  return (
    <>
      <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <span>
          From <strong>{taken.file}</strong>. {taken.how.join(" ")} {counts.length > 0 && `${counts.join(", ")}.`}
          {close.closing.sets.length > 1 && ` ${close.closing.sets.length - 1} earlier on record.`}
        </span>
        {!close.frozen && (
          <button className="button" onClick={() => setOpen(true)}>
            import another
          </button>
        )}
      </p>
      {close.shift && <p className="text-sm text-decision-text">After the block shift.</p>}
      <Lines lines={close.residuals} onUse={close.frozen || steps.busy ? undefined : use} />
    </>
  );
}

interface LinesProps {
  lines: Schemas["ResidualLine"][];
  onUse?: (line: Schemas["ResidualLine"], used: Used) => void;
}

function Lines({ lines, onUse }: LinesProps) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  return (
    <table className="table mt-2" data-testid="residuals">
      <thead>
        <tr>
          <th>point</th>
          <th>used</th>
          <th className="num">E, {fineUnit(unit)}</th>
          <th className="num">N, {fineUnit(unit)}</th>
          <th className="num">up, {fineUnit(unit)}</th>
          <th className="num">images</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line) => (
          <tr key={line.point}>
            <td>{line.name}</td>
            <td>
              {onUse ? (
                <Select
                  label={`What ${line.name} is used for`}
                  value={line.used}
                  options={USED}
                  onChange={(used) => onUse(line, used)}
                />
              ) : (
                USED.find((u) => u.id === line.used)!.name
              )}
            </td>
            {[0, 1, 2].map((k) => (
              <td key={k} className="num">
                <Fine value={line.d?.[k]} unit={unit} />
              </td>
            ))}
            <td className="num">{line.images ?? "–"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What the user said of a file, beyond what is in it. */
interface Said {
  means?: string[];
  unit: string;
  turned: boolean;
  axes: "" | "grid" | "local";
}
const NOTHING_SAID: Said = { unit: "", turned: false, axes: "" };

function BringIn({ close, steps, onDone }: CloseViewProps & { onDone: () => void }) {
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

function Columns({ reading, onChange }: { reading: Reading; onChange: (means: string[]) => void }) {
  const means = reading.columns.map((c) => c.means);
  return (
    <div className="overflow-x-auto">
      <table className="table mt-1 text-sm" data-testid="columns">
        <thead>
          <tr>
            <th>column</th>
            <th>holds</th>
            <th>first lines</th>
          </tr>
        </thead>
        <tbody>
          {reading.columns.map((column, k) => (
            <tr key={k}>
              <td>{column.head}</td>
              <td>
                <Select
                  label={`What the column ${column.head} holds`}
                  className="!border-hairline"
                  value={column.means}
                  options={reading.meanings}
                  onChange={(to) => onChange(means.map((m, i) => (i === k ? to : to && m === to ? "" : m)))}
                />
              </td>
              <td className="figures text-quiet">{column.sample.join(" · ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Points({ rows, onUse }: { rows: Schemas["ReadOutcome"][]; onUse: (point: string, used: Used) => void }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  return (
    <table className="table mt-1" data-testid="read-points">
      <thead>
        <tr>
          <th>point</th>
          <th>used</th>
          <th>
            <span className="sr-only">as said by</span>
          </th>
          <th className="num">E, {fineUnit(unit)}</th>
          <th className="num">N, {fineUnit(unit)}</th>
          <th className="num">up, {fineUnit(unit)}</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.point}>
            <td>{row.name}</td>
            <td>
              <Select
                label={`How ${row.name} was used`}
                className="!border-hairline"
                value={row.used}
                options={row.d ? USED : USED.filter((u) => u.id !== "checked")}
                onChange={(use) => onUse(row.point, use)}
              />
            </td>
            <td className="text-sm text-quiet">{row.known}</td>
            {[0, 1, 2].map((k) => (
              <td key={k} className="num">
                <Fine value={row.d?.[k]} unit={unit} />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
