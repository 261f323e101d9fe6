import { useState } from "react";
import { Problem, upload, type Change, type ControlPoint, type PointsReading } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useWorkbench } from "../../app/workbench";
import { mm } from "../../lib/units";
import { LengthField, Select, TextField, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Heading } from "../Tray";

type Column = "name" | "role" | "e" | "n" | "method";

export function ControlTray() {
  const { plan } = usePlan();
  const { setPlacing } = useWorkbench();
  const [pasting, setPasting] = useState(false);
  const targets = plan.control.filter((p) => p.role === "target").length;
  return (
    <>
      <Heading title="Control">
        <span className="text-quiet">
          {targets} targets, {plan.control.length - targets} checks · a check is never used to adjust
        </span>
        <span className="ml-auto flex gap-2">
          <button className="button text-sm" onClick={() => setPlacing("target")}>
            target (G)
          </button>
          <button className="button text-sm" onClick={() => setPlacing("check")}>
            check (K)
          </button>
          <button className="button text-sm" aria-pressed={pasting} onClick={() => setPasting(!pasting)}>
            paste points…
          </button>
        </span>
      </Heading>
      {pasting && <Paste onDone={() => setPasting(false)} />}
      {plan.control.length ? (
        <ControlTable />
      ) : (
        <p className="text-quiet">No control yet. Press G and click on the sheet for a target, K for a check.</p>
      )}
    </>
  );
}

function ControlTable() {
  const { plan, summary, result, catalogue, edit } = usePlan();
  const { selected, select } = useWorkbench();
  const [sort, setSort] = useState<{ by: Column; down: boolean } | null>(null);
  const [marked, setMarked] = useState<Set<string>>(new Set());
  const unit = plan.brief.unit!;
  const u = unitName(unit);
  const set = (p: ControlPoint, change: Partial<ControlPoint>) =>
    void edit([{ object: `control/${p.id}`, value: { ...p, ...change } }]);
  const figures = new Map(result?.control?.map((c) => [c.id, c]));
  const heights = new Map(plan.control.map((p, k) => [p.id, summary?.control_h[k] ?? null]));
  const hangs = [{ id: "", name: "base" }, ...plan.marks];
  const rows = [...plan.control];
  if (sort) rows.sort((a, b) => (a[sort.by] < b[sort.by] ? -1 : 1) * (sort.down ? -1 : 1));
  const chosen = plan.control.filter((p) => marked.has(p.id));
  const all = (change: Partial<ControlPoint>) =>
    void edit(chosen.map((p) => ({ object: `control/${p.id}`, value: { ...p, ...change } })));
  const head = (by: Column, words: string, num = false) => (
    <th className={num ? "num" : ""} aria-sort={sort?.by === by ? (sort.down ? "descending" : "ascending") : undefined}>
      <button className="cursor-pointer" onClick={() => setSort({ by, down: sort?.by === by ? !sort.down : false })}>
        {words}
        {sort?.by === by ? (sort.down ? " ↓" : " ↑") : ""}
      </button>
    </th>
  );
  return (
    <>
      {chosen.length > 0 && (
        <div className="mb-1 flex items-center gap-2 bg-settled-wash px-2 py-1 text-sm">
          <strong>{chosen.length} marked:</strong>
          <Select
            label="Observe all by"
            value=""
            options={[{ id: "", name: "observed by…" }, ...catalogue.methods]}
            onChange={(m) => m && all({ method: m as ControlPoint["method"] })}
          />
          <Select
            label="Hang all on"
            value="-"
            options={[{ id: "-", name: "hangs on…" }, ...hangs]}
            onChange={(m) => m !== "-" && all({ mark: m || null })}
          />
          <button
            className="button"
            onClick={() => {
              void edit(chosen.map((p) => ({ object: `control/${p.id}`, value: null })));
              setMarked(new Set());
            }}
          >
            remove
          </button>
          <button className="button" onClick={() => setMarked(new Set())}>
            unmark
          </button>
        </div>
      )}
      <table className="table text-sm" data-testid="control-table">
        <thead>
          <tr>
            <th>
              <input
                type="checkbox"
                aria-label="Mark all"
                checked={marked.size === plan.control.length}
                onChange={(event) => setMarked(new Set(event.target.checked ? plan.control.map((p) => p.id) : []))}
              />
            </th>
            {head("name", "point")}
            {head("role", "role")}
            {head("e", `E, ${u}`, true)}
            {head("n", `N, ${u}`, true)}
            <th className="num" title="in italics: the terrain's height">
              H, {u}
            </th>
            {head("method", "observed by")}
            <th>hangs on</th>
            <th className="num" title="own sigma of the observation in mm: each axis, and up">
              σ H / V
            </th>
            <th className="num" title="predicted error of the map here in mm: radial, and height">
              map H / V
            </th>
            <th className="num">images</th>
            <th className="num">width, {u}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((p) => {
            const f = figures.get(p.id);
            const object = `control/${p.id}`;
            return (
              <tr
                key={p.id}
                className={selected === object ? "bg-decision-wash" : ""}
                onFocus={() => select(object)}
                onClick={() => select(object)}
                data-testid={`row-${p.name}`}
              >
                <td>
                  <input
                    type="checkbox"
                    aria-label={`Mark ${p.name}`}
                    checked={marked.has(p.id)}
                    onChange={(event) => {
                      const next = new Set(marked);
                      if (event.target.checked) next.add(p.id);
                      else next.delete(p.id);
                      setMarked(next);
                    }}
                  />
                </td>
                <td>
                  <TextField
                    label={`Name of ${p.name}`}
                    value={p.name}
                    onCommit={(name) => set(p, { name })}
                    width="w-11"
                  />
                </td>
                <td>
                  <Select
                    label={`Role of ${p.name}`}
                    value={p.role}
                    options={[
                      { id: "target", name: "target" },
                      { id: "check", name: "check" },
                    ]}
                    onChange={(role) => set(p, { role })}
                  />
                </td>
                <td className="num">
                  <LengthField
                    label={`E of ${p.name}`}
                    value={p.e}
                    unit={unit}
                    width="w-[6.7rem]"
                    onCommit={(v) => v !== null && set(p, { e: v })}
                  />
                </td>
                <td className="num">
                  <LengthField
                    label={`N of ${p.name}`}
                    value={p.n}
                    unit={unit}
                    width="w-[6.7rem]"
                    onCommit={(v) => v !== null && set(p, { n: v })}
                  />
                </td>
                <td
                  className="num"
                  title={p.h === null ? "the terrain's height; type one to fix it, empty it to go back" : "typed"}
                >
                  <LengthField
                    quiet={p.h === null}
                    label={`H of ${p.name}`}
                    value={p.h ?? heights.get(p.id) ?? null}
                    unit={unit}
                    decimals={3}
                    width="w-16"
                    optional
                    onCommit={(h) => set(p, { h })}
                  />
                </td>
                <td>
                  <Select
                    label={`Method of ${p.name}`}
                    value={p.method!}
                    options={catalogue.methods.map((m) => ({ id: m.id, name: m.short }))}
                    onChange={(method) => set(p, { method })}
                  />
                </td>
                <td>
                  <Select
                    label={`Mark of ${p.name}`}
                    value={p.mark ?? ""}
                    options={hangs}
                    onChange={(mark) => set(p, { mark: mark || null })}
                  />
                </td>
                <td className="num text-sm">{f ? `${mm(f.own_h)} / ${mm(f.own_v)}` : "–"}</td>
                <td className="num text-sm">{f ? `${mm(f.map_h)} / ${mm(f.map_v)}` : "–"}</td>
                <td className={`num ${f && f.images < 5 ? "text-decision-text" : ""}`}>{f?.images ?? "–"}</td>
                <td className="num">
                  <LengthField
                    label={`Width of ${p.name}`}
                    value={p.width!}
                    unit={unit}
                    decimals={2}
                    width="w-14"
                    onCommit={(v) => v !== null && set(p, { width: v })}
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

/** Points from a spreadsheet or a list, shown before they are taken. */
function Paste({ onDone }: { onDone: () => void }) {
  const { jobId, plan, edit } = usePlan();
  const [text, setText] = useState("");
  const [role, setRole] = useState<"target" | "check">("target");
  const [reading, setReading] = useState<PointsReading | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);

  async function read() {
    try {
      setReading(await upload<PointsReading>(`/jobs/${jobId}/read/points`, { text }));
      setProblem(null);
    } catch (error) {
      setReading(null);
      setProblem(error as Problem);
    }
  }

  async function take() {
    const taken = new Set(plan.control.map((p) => p.id));
    const changes: Change[] = (reading?.points ?? []).map((p, k) => {
      const wanted = (p.name || `${role === "target" ? "G" : "K"}${k + 1}`)
        .replace(/[^A-Za-z0-9_-]/g, "-")
        .slice(0, 36);
      let id = wanted;
      for (let n = 2; taken.has(id); n += 1) id = `${wanted}-${n}`;
      taken.add(id);
      const point: ControlPoint = {
        id,
        name: p.name || id,
        role: /chk|check/i.test(p.code) ? "check" : role,
        e: p.e,
        n: p.n,
        h: p.h,
        method: "rtk_once",
        mark: null,
        width: 0.6,
      };
      return { object: `control/${id}`, value: { ...point } };
    });
    if (await edit(changes)) onDone();
  }

  return (
    <div className="mb-2 border border-ink bg-sheet p-2">
      <div className="flex gap-2">
        <textarea
          className="input figures h-20 flex-1 text-sm"
          aria-label="Points"
          placeholder={"name, E, N, H or any other order with a header row; degrees are read too"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <div className="grid content-start gap-1">
          <Select
            label="Role of the points"
            value={role}
            options={[
              { id: "target", name: "as targets" },
              { id: "check", name: "as checks" },
            ]}
            onChange={setRole}
          />
          <button className="button" disabled={!text.trim()} onClick={() => void read()}>
            Read points
          </button>
        </div>
      </div>
      {problem && <ProblemNote problem={problem} onClose={() => setProblem(null)} />}
      {reading && (
        <div className="mt-1" role="status">
          <p className="text-sm">
            <strong>{reading.points.length} points.</strong> {reading.how.join(" ")}
          </p>
          <p className="figures text-sm text-quiet">
            {reading.points
              .slice(0, 4)
              .map((p) => `${p.name || "–"} ${p.e.toFixed(3)} ${p.n.toFixed(3)} ${p.h?.toFixed(3) ?? ""}`)
              .join(" · ")}
            {reading.points.length > 4 ? " …" : ""}
          </p>
          <button className="button mt-1" onClick={() => void take()}>
            Take these points
          </button>
        </div>
      )}
    </div>
  );
}
