import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, upload, type Problem, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fine, fineUnit, length } from "../../lib/units";
import { Field, LengthField, Select, TextField, unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { Remove } from "../../ui/Remove";
import type { NearMark } from "./LibraryView";

type Version = Schemas["VersionOut"];
type About = NearMark["about"];

const KINDS = [
  { id: "base", name: "mark for a base" },
  { id: "return", name: "return mark at a take-off place" },
  { id: "target", name: "carries a target" },
];

interface Props {
  mark: NearMark;
  doing: (work: () => Promise<unknown>) => Promise<boolean>;
  onGone: () => void;
}

/** One mark of the library: how it is found, and every version of its coordinates. */
export function MarkDetails({ mark, doing, onGone }: Props) {
  const { jobId, plan } = usePlan();
  const { unit } = plan.brief;
  const path = `/jobs/${jobId}/library/${mark.id}`;
  const { about } = mark;
  const tell = (change: Partial<About>) => void doing(() => call("PUT", path, { ...about, ...change }));
  return (
    <div className="mt-2 border border-hairline p-2" data-testid="mark-details">
      <div className="flex flex-wrap items-end gap-3">
        <Field label="Designation">
          {(id) => (
            <TextField
              id={id}
              width="w-32"
              value={about.designation}
              onCommit={(designation) => tell({ designation })}
            />
          )}
        </Field>
        <Field label="It is a">
          {(id) => <Select id={id} value={about.kind ?? "base"} options={KINDS} onChange={(kind) => tell({ kind })} />}
        </Field>
        <Field label="How it is found">
          {(id) => (
            <TextField
              id={id}
              width="w-72"
              value={about.description ?? ""}
              optional
              onCommit={(description) => tell({ description })}
            />
          )}
        </Field>
        <Field label="Its sky">
          {(id) => (
            <TextField id={id} width="w-40" value={about.sky ?? ""} optional onCommit={(sky) => tell({ sky })} />
          )}
        </Field>
        <Field label="Last stood on">
          {(id) => (
            <input
              id={id}
              type="date"
              className="input"
              value={about.recovered ?? ""}
              onChange={(event) => tell({ recovered: event.target.value || null })}
            />
          )}
        </Field>
        <Field label="Picture">
          {(id) => (
            <FileInput id={id} reads="picture" onFile={(file) => void doing(() => upload(`${path}/photo`, { file }))} />
          )}
        </Field>
        <Remove onClick={() => void doing(() => call("POST", `${path}/retire`)).then(onGone)}>
          no longer offer it
        </Remove>
      </div>
      <div className="mt-2 flex flex-wrap items-start gap-4">
        {mark.photo && <img src={`/api${path}/photo`} alt={`${about.designation} as it looks`} className="max-h-40" />}
        <Versions key={mark.version} mark={mark} path={path} doing={doing} unit={unit} />
      </div>
    </div>
  );
}

function Versions({ mark, path, doing, unit }: Pick<Props, "mark" | "doing"> & { path: string; unit: string }) {
  const { jobId } = usePlan();
  const u = unitName(unit);
  const found = useQuery<Version[], Problem>({
    queryKey: ["library", jobId, "versions", mark.id, mark.version],
    queryFn: () => call("GET", `${path}/versions`),
  });
  const [next, setNext] = useState(mark.coordinates);
  const differs = JSON.stringify(next) !== JSON.stringify(mark.coordinates);
  return (
    <div className="flex-1">
      <table className="table text-sm">
        <thead>
          <tr>
            <th>coordinates of</th>
            <th className="num">E, {u}</th>
            <th className="num">N, {u}</th>
            <th className="num">H, {u}</th>
            <th className="num">moved H, {fineUnit(unit)}</th>
            <th className="num">up, {fineUnit(unit)}</th>
            <th>source</th>
          </tr>
        </thead>
        <tbody>
          {found.data?.map((v) => (
            <tr key={v.number} title={v.step?.words.join(" ")}>
              <td>
                {v.at.slice(0, 10)} by {v.by}
                <span className="block text-quiet">
                  {v.coordinates.crs} {v.coordinates.realisation} {v.coordinates.epoch}
                </span>
              </td>
              <td className="num">{length(v.coordinates.e, unit)}</td>
              <td className="num">{length(v.coordinates.n, unit)}</td>
              <td className="num">{length(v.coordinates.h, unit)}</td>
              <td className="num">{v.step ? fine(v.step.horizontal, unit) : ""}</td>
              <td className="num">{v.step ? fine(v.step.up, unit) : ""}</td>
              <td>{v.coordinates.source}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-1 flex flex-wrap items-end gap-3">
        {(["e", "n", "h"] as const).map((axis) => (
          <Field key={axis} label={`New ${axis.toUpperCase()}, ${u}`}>
            {(id) => (
              <LengthField
                id={id}
                width="w-32"
                unit={unit}
                value={next[axis] ?? null}
                optional={axis === "h"}
                onCommit={(value) => (value !== null || axis === "h") && setNext({ ...next, [axis]: value })}
              />
            )}
          </Field>
        ))}
        <Field label="Epoch">
          {(id) => (
            <TextField
              id={id}
              width="w-20"
              value={next.epoch ?? ""}
              optional
              onCommit={(epoch) => setNext({ ...next, epoch })}
            />
          )}
        </Field>
        <Field label="Source">
          {(id) => (
            <TextField
              id={id}
              width="w-40"
              value={next.source ?? ""}
              optional
              onCommit={(source) => setNext({ ...next, source })}
            />
          )}
        </Field>
        <button
          className="button"
          disabled={!differs}
          onClick={() => void doing(() => call("POST", `${path}/versions`, next))}
        >
          keep as newer coordinates
        </button>
      </div>
    </div>
  );
}
