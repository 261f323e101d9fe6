import { useState } from "react";
import type { Mark, Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { added, freeName } from "../../lib/edits";
import { fineUnit, grid, length } from "../../lib/units";
import { Field, FineField, Select, TextField, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { useReading } from "../reading";
import { AccuracyAs, useAccuracyAs } from "./accuracyAs";

/** A mark typed or pasted as its certificate prints it: read, shown, and then taken. */
export function Certificate({ onDone }: { onDone: () => void }) {
  const { plan, edit, summary } = usePlan();
  const { select } = useSelection();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const [text, setText] = useState("");
  const { reading: read, problem, read: ask, clear } = useReading<Schemas["ReadCertificate"]>("certificate");
  const [name, setName] = useState("");
  const [height, setHeight] = useState("");
  const [sigma, setSigma] = useState({ h: 0.01, v: 0.015 });
  const as = useAccuracyAs();
  const system = summary?.datum?.heights ?? "the job's height system";

  async function look() {
    const found = await ask({ text });
    if (!found) return;
    setName(found.name || freeName("M", plan.marks));
    setHeight(found.says);
  }

  async function take() {
    const id = freeName("M", plan.marks);
    const h = height === "ellipsoidal" ? read!.ellipsoidal : height === "height" ? read!.height : null;
    const accuracy = { sigma_h: sigma.h, sigma_v: sigma.v, known: "published", hours: 4, shift_hours: null };
    const mark = { id, name, e: read!.e, n: read!.n, h, ...accuracy } as Mark;
    if (await edit([added("marks", mark)])) {
      select(`marks/${id}`);
      onDone();
    }
  }

  const asks = !!read && read.height !== null && !height;
  return (
    <div className="my-2 border border-ink bg-sheet p-2" data-testid="certificate">
      <div className="flex items-start gap-2">
        <textarea
          className="input figures h-20 flex-1 text-sm"
          aria-label="The mark as its certificate prints it"
          placeholder={"Latitude 46°18'14.82671\"N\nLongitude 13°25'40.42160\"W\nEllipsoidal height 61.232 m"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <div className="grid gap-1">
          <button className="button" disabled={!text.trim()} onClick={() => void look()}>
            Read the mark
          </button>
          <button className="button" onClick={onDone}>
            Discard
          </button>
        </div>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {read && (
        <div className="mt-1">
          <p className="text-sm">{read.how.join(" ")}</p>
          <div className="mt-1 flex flex-wrap items-end gap-3">
            <Field label="Name">{(id) => <TextField id={id} width="w-28" value={name} onCommit={setName} />}</Field>
            <p className="figures pb-1">
              E {grid(read.e, unit, 3)} N {grid(read.n, unit, 3)} {u}
            </p>
            {read.height !== null && (
              <Field label="The height is">
                {(id) => (
                  <Select
                    id={id}
                    value={height}
                    onChange={setHeight}
                    options={[
                      ...(height ? [] : [{ id: "", name: "which?" }]),
                      {
                        id: "ellipsoidal",
                        name: `ellipsoidal: ${length(read.ellipsoidal, unit, 3)} ${u} in ${system}`,
                      },
                      { id: "height", name: `in ${system}: ${length(read.height, unit, 3)} ${u}` },
                      { id: "none", name: "not to be taken: the ground's" },
                    ]}
                  />
                )}
              </Field>
            )}
            <Field label={`${as.words.h}, ${fineUnit(unit)}`}>
              {(id) => (
                <FineField
                  id={id}
                  width="w-20"
                  unit={unit}
                  value={sigma.h * as.factor.h}
                  onCommit={(v) => setSigma({ ...sigma, h: v / as.factor.h })}
                />
              )}
            </Field>
            <Field label={`${as.words.v}, ${fineUnit(unit)}`}>
              {(id) => (
                <FineField
                  id={id}
                  width="w-20"
                  unit={unit}
                  value={sigma.v * as.factor.v}
                  onCommit={(v) => setSigma({ ...sigma, v: v / as.factor.v })}
                />
              )}
            </Field>
            <AccuracyAs />
            <button className="button" disabled={asks || !name.trim()} onClick={() => void take()}>
              Use this mark
            </button>
          </div>
        </div>
      )}
    </div>
  );
}
