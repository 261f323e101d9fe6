import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { call, upload, type Mark, type Problem, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, removed } from "../../lib/edits";
import { fine, fineUnit, grid, length, percent } from "../../lib/units";
import { Fact, Field, FineField, LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remarks } from "../../ui/Remarks";
import { ActionsHead, Remove } from "../../ui/Remove";
import { positionSourceId, positionSourceOf, positionSources } from "../positioning";
import { useDoing } from "../../ui/useDoing";

type LocalGrid = Schemas["LocalGrid"];
type LocalPoint = Schemas["LocalPoint"];
type LocalTold = Schemas["LocalTold"];

const SCALES = [
  { id: "free", name: "from the points" },
  { id: "one", name: "held at one" },
];
const HEIGHTS = [
  { id: "tilt", name: "tilted plane" },
  { id: "shift", name: "shift alone" },
];

/** The site's own coordinates: calibrated to points known in both systems, or stated. */
export function LocalGridView() {
  const { jobId, plan, answer, edit } = usePlan();
  const { local } = plan.brief;
  const { doing, problem, clear } = useDoing();
  const found = useQuery<LocalTold, Problem>({
    queryKey: ["local", jobId, answer.revision],
    queryFn: () => call("GET", `/jobs/${jobId}/local`),
    enabled: Boolean(local && answer.plan.brief.local), // what the server has; an edit may still be on its way
    placeholderData: (previous) => previous,
  });
  const set = (wanted: LocalGrid) => edit([{ path: "brief/local", before: local, after: wanted }]);
  const told = local && !found.error ? found.data : undefined;
  return (
    <section data-testid="local-grid">
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {local ? (
        <>
          <OneLocalGrid local={local} told={told} />
          {found.error && <ProblemNote problem={found.error} />}
          {told && <Remarks of={told.remarks} />}
          {told && <Parameters local={local} told={told} />}
        </>
      ) : (
        <p className="text-quiet">
          What is delivered is in the job&rsquo;s grid. Where the site has coordinates of its own, calibrate to them
          here, or state them.
        </p>
      )}
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <PasteBox
          label={`Points in both: name, E N H measured, E N H local, ${unitName(plan.brief.unit)}`}
          onText={(text) =>
            doing(async () => {
              const points = await call<LocalPoint[]>("POST", `/jobs/${jobId}/local/points`, { text });
              await set({ ...(local?.kind === "calibrated" ? local : {}), points } as LocalGrid);
            })
          }
        />
        {told && (
          <PasteBox
            label={`Marks that it has: name, E N H local, ${unitName(plan.brief.unit)}`}
            onText={(text) =>
              doing(async () => {
                const marks = await call<Mark[]>("POST", `/jobs/${jobId}/local/marks`, { text });
                await edit(marks.map((mark) => added("marks", mark)));
              })
            }
          />
        )}
        <Field label="From a text of Kardo's">
          {(id) => (
            <FileInput
              id={id}
              reads="local_grid"
              onFile={(file) =>
                void doing(async () => set(await upload<LocalGrid>(`/jobs/${jobId}/local/read`, { file })))
              }
            />
          )}
        </Field>
        <button
          className="button"
          onClick={() => void doing(async () => set(await call<LocalGrid>("GET", `/jobs/${jobId}/local/ground`)))}
        >
          ground coordinates
        </button>
        {local && (
          <>
            {told && (
              <>
                <a className="underline" href={`/api/jobs/${jobId}/local.txt`}>
                  as text
                </a>
                <a className="underline" href={`/api/jobs/${jobId}/local.csv`}>
                  control in it
                </a>
              </>
            )}
            <button className="button" onClick={() => void edit([removed(plan, "brief/local")])}>
              deliver in the job&rsquo;s grid
            </button>
          </>
        )}
      </div>
    </section>
  );
}

/** A list to paste, sent when asked. */
function PasteBox({ label, onText }: { label: string; onText: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <Field label={label}>
      {(id) => (
        <span className="flex items-end gap-2">
          <textarea
            id={id}
            className="input h-14 w-72 font-mono text-xs"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <button
            className="button"
            disabled={!text.trim()}
            onClick={() => {
              onText(text);
              setText("");
            }}
          >
            take
          </button>
        </span>
      )}
    </Field>
  );
}

function OneLocalGrid({ local, told }: { local: LocalGrid; told: LocalTold | undefined }) {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const change = (fields: Partial<LocalGrid>) => void edit(fieldEdits(plan, "brief/local", fields));
  return (
    <>
      <div className="mb-2 flex flex-wrap items-end gap-3">
        <Field label="Name">
          {(id) => <TextField id={id} width="w-36" value={local.name} onCommit={(name) => change({ name })} />}
        </Field>
        {local.kind === "calibrated" ? (
          <>
            <Field label="Measured from">
              {(id) => (
                <Select
                  id={id}
                  value={positionSourceId(local.positioned_from)}
                  options={positionSources(plan, "control")}
                  onChange={(to) => change({ positioned_from: positionSourceOf(to) })}
                />
              )}
            </Field>
            <Field label={`Horizontal residual σ, ${fineUnit(unit)}`}>
              {(id) => (
                <FineField
                  id={id}
                  width="w-16"
                  value={local.sigma_h}
                  unit={unit}
                  onCommit={(v) => change({ sigma_h: v })}
                />
              )}
            </Field>
            <Field label={`V, ${fineUnit(unit)}`}>
              {(id) => (
                <FineField
                  id={id}
                  width="w-16"
                  value={local.sigma_v}
                  unit={unit}
                  onCommit={(v) => change({ sigma_v: v })}
                />
              )}
            </Field>
            <Field label="Scale">
              {(id) => <Select id={id} value={local.scale} options={SCALES} onChange={(scale) => change({ scale })} />}
            </Field>
            <Field label="Height">
              {(id) => (
                <Select
                  id={id}
                  value={local.tilt ? "tilt" : "shift"}
                  options={HEIGHTS}
                  onChange={(way) => change({ tilt: way === "tilt" })}
                />
              )}
            </Field>
          </>
        ) : (
          <>
            <Field label="Factor">
              {(id) => (
                <NumberField
                  id={id}
                  width="w-28"
                  value={local.factor}
                  decimals={9}
                  onCommit={(factor) => change({ factor })}
                />
              )}
            </Field>
            <Field label="Rotation, °">
              {(id) => (
                <NumberField
                  id={id}
                  width="w-28"
                  value={local.turn}
                  decimals={7}
                  onCommit={(turn) => change({ turn })}
                />
              )}
            </Field>
            {(
              [
                ["e0", `About E, ${u}`],
                ["n0", `N, ${u}`],
                ["move_e", `Moved E, ${u}`],
                ["move_n", `N, ${u}`],
                ["move_h", `H, ${u}`],
              ] as const
            ).map(([field, label]) => (
              <Field key={field} label={label}>
                {(id) => (
                  <LengthField
                    id={id}
                    width="w-28"
                    value={local[field]}
                    unit={unit}
                    onCommit={(v) => v !== null && change({ [field]: v })}
                  />
                )}
              </Field>
            ))}
          </>
        )}
      </div>
      {local.kind === "calibrated" && <Points local={local} told={told} />}
    </>
  );
}

/** How each point fits, and by how much the others check it; its coordinates open below it. */
function Points({ local, told }: { local: LocalGrid; told: LocalTold | undefined }) {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const u = fineUnit(unit);
  const [opened, setOpened] = useState<string | null>(null);
  const fits = new Map(told?.points.map((p) => [p.id, p]));
  const change = (id: string, fields: Partial<LocalPoint>) =>
    void edit(fieldEdits(plan, `brief/local/points/${id}`, fields));
  const share = (value: number | null | undefined) => (value == null ? "–" : percent(value));
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th rowSpan={2}>point</th>
          <th colSpan={2}>counts in</th>
          <th colSpan={3} className="num">
            local less made, {u}
          </th>
          <th colSpan={2} className="num">
            checked
          </th>
          <th colSpan={2} className="num">
            shows an error from, {u}
          </th>
          <ActionsHead />
        </tr>
        <tr>
          <th>plan</th>
          <th>height</th>
          {["E", "N", "H", "H", "V", "H", "V"].map((axis, k) => (
            <th key={k} className="num">
              {axis}
            </th>
          ))}
          <td />
        </tr>
      </thead>
      <tbody>
        {local.points.map((p) => {
          const fit = fits.get(p.id);
          return (
            <Fragment key={p.id}>
              <tr className={fit?.suspect ? "bg-decision-wash" : ""}>
                <td>
                  <button
                    className="cursor-pointer underline"
                    aria-expanded={opened === p.id}
                    onClick={() => setOpened(opened === p.id ? null : p.id)}
                  >
                    {p.name}
                  </button>
                  {fit?.suspect && <strong> does not fit</strong>}
                </td>
                {(["plane", "height"] as const).map((use) => (
                  <td key={use}>
                    <input
                      type="checkbox"
                      aria-label={`${p.name} counts in ${use === "plane" ? "plan" : "height"}`}
                      checked={p[use]}
                      onChange={(e) => change(p.id, { [use]: e.target.checked })}
                    />
                  </td>
                ))}
                <td className="num">{fine(fit?.east, unit)}</td>
                <td className="num">{fine(fit?.north, unit)}</td>
                <td className="num">{fine(fit?.up, unit)}</td>
                <td className="num">{share(fit?.checked_h)}</td>
                <td className="num">{share(fit?.checked_v)}</td>
                <td className="num">
                  {fit?.checked_h != null && fit.shows_h === null ? "never" : fine(fit?.shows_h, unit, 0)}
                </td>
                <td className="num">
                  {fit?.checked_v != null && fit.shows_v === null ? "never" : fine(fit?.shows_v, unit, 0)}
                </td>
                <td>
                  <Remove onClick={() => void edit([removed(plan, `brief/local/points/${p.id}`)])}>remove</Remove>
                </td>
              </tr>
              {opened === p.id && <Coordinates point={p} onChange={(fields) => change(p.id, fields)} />}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}

function Coordinates({ point, onChange }: { point: LocalPoint; onChange: (fields: Partial<LocalPoint>) => void }) {
  const { unit } = usePlan().plan.brief;
  const u = unitName(unit);
  const rows = [
    { of: "measured", fields: ["e", "n", "h"] as const },
    { of: "local", fields: ["local_e", "local_n", "local_h"] as const },
  ];
  return (
    <tr>
      <td colSpan={11}>
        {rows.map(({ of, fields }) => (
          <span key={of} className="mr-6 inline-flex items-center gap-2">
            {of}, {u}
            {fields.map((field, k) => (
              <LengthField
                key={field}
                label={`${of} ${"ENH"[k]}`}
                width={k < 2 ? "w-28" : "w-20"}
                value={point[field]}
                unit={unit}
                optional={k === 2}
                onCommit={(v) => (v !== null || k === 2) && onChange({ [field]: v })}
              />
            ))}
          </span>
        ))}
      </td>
    </tr>
  );
}

/** What leads from the job's grid to the local one. */
function Parameters({ local, told }: { local: LocalGrid; told: LocalTold }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const worse = (times: number | null) => (times === null ? "nothing checks it" : `${times.toFixed(2)} × stated`);
  return (
    <dl className="mt-2 flex flex-wrap gap-x-6 gap-y-1">
      {local.kind === "calibrated" && (
        <>
          <Fact name={`about E N, ${u}`}>
            {grid(told.about[0], unit, 3)} {grid(told.about[1], unit, 3)}
          </Fact>
          <Fact name={`moved E N H, ${u}`}>{told.moved.map((v) => length(v, unit, 4)).join("  ")}</Fact>
          <Fact name="bearings turned, °">{told.turn.toFixed(6)}</Fact>
        </>
      )}
      <Fact name="scale, local ÷ grid">{told.scale.toFixed(8)}</Fact>
      {told.ground_scale !== null && <Fact name="grid ÷ ground here">{told.ground_scale.toFixed(8)}</Fact>}
      {told.heights && local.kind === "calibrated" && (
        <Fact name="heights rise E N, ppm">{told.rise.map((r) => (r * 1e6).toFixed(1)).join("  ")}</Fact>
      )}
      {local.kind === "calibrated" && (
        <>
          <Fact name="points agree, plan">{worse(told.worse_h)}</Fact>
          {told.heights && <Fact name="points agree, height">{worse(told.worse_v)}</Fact>}
        </>
      )}
      {local.kind === "calibrated" && !told.heights && <Fact name="heights">stay the job&rsquo;s</Fact>}
    </dl>
  );
}
