import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { askAgain } from "../../api/again";
import { call, upload, type Edit, type Mark, type Problem, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { added, fieldEdits, freeName } from "../../lib/edits";
import { fine, fineUnit, length } from "../../lib/units";
import { newPoint } from "../../sheet/placing";
import { Field, FineField, TextField, unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { ActionsHead } from "../../ui/Remove";
import { MarkDetails } from "./MarkDetails";
import { useDoing } from "../../ui/useDoing";

export type NearMark = Schemas["NearMark"];
type Changed = Schemas["Changed"];
type MarkReading = Schemas["MarkReading"];

/** What a mark of the library brings to the plan. */
function fieldsOf(mark: NearMark) {
  const there = mark.brought!;
  const { coordinates } = mark;
  return {
    e: there.e,
    n: there.n,
    h: there.h,
    sigma_h: mark.sigma[0],
    sigma_v: mark.sigma[1],
    known: "published" as const,
    realisation: coordinates.realisation ?? "",
    epoch: coordinates.epoch ?? "",
    source: coordinates.source ?? "",
    origin: { id: mark.id, revision: mark.version },
  };
}

/** The organisation's marks, nearest first: taken into the plan, or a base set on one, with a click. */
export function LibraryView() {
  const { jobId, plan, catalogue, answer, edit } = usePlan();
  const { openView } = useNavigation();
  const client = useQueryClient();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const [query, setQuery] = useState("");
  const [opened, setOpened] = useState<string | null>(null);
  const { doing: tried, problem, clear } = useDoing();
  const near = useQuery<NearMark[], Problem>({
    queryKey: ["library", jobId, query, answer.revision],
    queryFn: () => call("GET", `/jobs/${jobId}/library?query=${encodeURIComponent(query)}`),
    placeholderData: (previous) => previous,
  });
  const changed = useQuery<Changed[], Problem>({
    queryKey: ["library-changed", jobId, answer.revision],
    queryFn: () => call("GET", `/jobs/${jobId}/library/changed`),
  });
  const again = () => Promise.all(["library", "library-changed"].map((key) => askAgain(client, [key, jobId])));
  const doing = (work: () => Promise<unknown>) => tried(async () => [await work(), await again()]);
  const mine = (mark: NearMark) => plan.marks.find((m) => m.origin?.id === mark.id);

  /** The edits that bring a mark into the plan, and its id there. */
  const taking = (mark: NearMark): { id: string; edits: Edit[] } => {
    const own = mine(mark);
    if (own) return { id: own.id, edits: [] };
    const wanted = mark.about.designation.replace(/[^A-Za-z0-9_-]/g, "-").slice(0, 36);
    let id = wanted;
    for (let k = 2; plan.marks.some((m) => m.id === id); k += 1) id = `${wanted}-${k}`;
    const about = { name: mark.about.designation, find: mark.about.description };
    return { id, edits: [added("marks", { id, ...about, ...fieldsOf(mark), hours: 4, shift_hours: null } as Mark)] };
  };
  const take = (mark: NearMark) => doing(() => edit(taking(mark).edits));
  /** The base stands on it: what is left to say is the antenna height. */
  const stand = (mark: NearMark) =>
    doing(async () => {
      const { id, edits } = taking(mark);
      const base = plan.setups.find((s) =>
        plan.flights.some((f) => f.positioned_from.on === "setup" && f.positioned_from.setup === s.id),
      );
      const setup = base ?? plan.setups[0];
      const on = setup
        ? fieldEdits(plan, `setups/${setup.id}`, { mark: id, readings: [] })
        : [added("setups", { id: "base", name: "base", mark: id, antenna: plan.kit.antennas[0]?.id } as never)];
      if (await edit([...edits, ...on])) openView("setups");
    });
  /** The target that a mark carries is control of the plan; a base may stand over it all the same. */
  const carry = ({ about, brought }: NearMark) => {
    const point = newPoint(catalogue.new_point, plan, "target", freeName("G", plan.control), brought!.e, brought!.n);
    const taken = plan.control.some((p) => p.name === about.designation);
    const target = { ...point, name: taken ? point.name : about.designation, h: brought!.h };
    return edit([added("control", target)]);
  };
  const renew = ({ mark, newest }: Changed) => edit(fieldEdits(plan, `marks/${mark}`, fieldsOf(newest)));
  const unkept = plan.marks.filter((m) => !m.origin && m.known !== "here" && m.known !== "local");
  return (
    <section data-testid="library">
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {changed.data?.map((one) => (
        <p key={one.mark} className="mb-1 border-l-4 border-decision bg-decision-wash px-2 py-1 text-sm">
          {one.newest.about.designation} has newer coordinates in the library: {fine(one.step.horizontal, unit)} H
          {one.step.up !== null && `, ${fine(one.step.up, unit)} up`} {fineUnit(unit)} from those in this plan.{" "}
          {one.step.words.join(" ")}{" "}
          {one.newest.brought && (
            <button className="button text-sm" onClick={() => void renew(one)}>
              take the newer
            </button>
          )}
        </p>
      ))}
      <div className="flex flex-wrap items-end gap-3">
        <Field label="Find a designation">
          {(id) => <input id={id} className="input w-40" value={query} onChange={(e) => setQuery(e.target.value)} />}
        </Field>
        {unkept.map((m) => (
          <button
            key={m.id}
            className="button text-sm"
            onClick={() =>
              void doing(async () => {
                const kept = await call<NearMark>("POST", `/jobs/${jobId}/library/of-plan`, { mark: m.id });
                await edit(fieldEdits(plan, `marks/${m.id}`, { origin: { id: kept.id, revision: kept.version } }));
              })
            }
          >
            keep {m.name}
          </button>
        ))}
      </div>
      {near.error && <ProblemNote problem={near.error} />}
      {near.data?.length === 0 && (
        <p className="mt-1 text-quiet">
          No such mark in the library yet. Keep those of this plan, or import a file of marks below.
        </p>
      )}
      {near.data && near.data.length > 0 && (
        <table className="table mt-1 text-sm">
          <thead>
            <tr>
              <th>mark</th>
              <th className="num">away</th>
              <th className="num">E, {u}</th>
              <th className="num">N, {u}</th>
              <th className="num">H, {u}</th>
              <th className="num">σ H, {fineUnit(unit)}</th>
              <th className="num">σ V, {fineUnit(unit)}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {near.data.map((mark) => (
              <tr key={mark.id} className={opened === mark.id ? "bg-decision-wash" : ""}>
                <td>
                  <button
                    className="cursor-pointer underline"
                    aria-expanded={opened === mark.id}
                    onClick={() => setOpened(opened === mark.id ? null : mark.id)}
                  >
                    {mark.about.designation}
                  </button>
                  {mark.about.kind === "return" && " (return mark)"}
                  {mark.about.kind === "target" && " (carries a target)"}
                </td>
                <td className="num">{mark.away === null ? "" : `${length(mark.away, unit, 0)} ${u}`}</td>
                {mark.brought ? (
                  <>
                    <td className="num">{length(mark.brought.e, unit)}</td>
                    <td className="num">{length(mark.brought.n, unit)}</td>
                    <td className="num">{mark.brought.h === null ? "to type" : length(mark.brought.h, unit)}</td>
                  </>
                ) : (
                  <td colSpan={3} className="text-quiet">
                    {mark.why}
                  </td>
                )}
                <td className="num">{fine(mark.sigma[0], unit)}</td>
                <td className="num">{fine(mark.sigma[1], unit)}</td>
                <td className="whitespace-nowrap">
                  {mine(mark) ? (
                    <span className="text-settled">in the plan </span>
                  ) : (
                    <button className="button text-sm" disabled={!mark.brought} onClick={() => void take(mark)}>
                      take
                    </button>
                  )}{" "}
                  <button className="button text-sm" disabled={!mark.brought} onClick={() => void stand(mark)}>
                    base on it
                  </button>
                  {mark.about.kind === "target" && mark.brought && !mark.laid && (
                    <button className="button ml-1 text-sm" onClick={() => void carry(mark)}>
                      its control point
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {near.data?.map(
        (mark) =>
          mark.id === opened && <MarkDetails key={mark.id} mark={mark} doing={doing} onGone={() => setOpened(null)} />,
      )}
      <BringIn doing={doing} />
    </section>
  );
}

/** Marks from a file, shown before they are kept. */
function BringIn({ doing }: { doing: (work: () => Promise<unknown>) => Promise<boolean> }) {
  const { jobId, plan } = usePlan();
  const { unit } = plan.brief;
  const [reading, setReading] = useState<MarkReading | null>(null);
  const [said, setSaid] = useState<{ circle_95: number | null; height_95: number | null; source: string }>({
    circle_95: null,
    height_95: null,
    source: "",
  });
  const keep = () =>
    doing(async () => {
      const marks = reading!.marks.map((m) => ({
        about: { designation: m.designation, description: m.description },
        coordinates: { crs: plan.brief.crs, heights: plan.brief.heights, e: m.e, n: m.n, h: m.h, ...said },
      }));
      await call("POST", `/jobs/${jobId}/library`, { marks });
      setReading(null);
    });
  return (
    <div className="mt-3">
      <Field label="Marks from a file (CSV, GeoJSON, GPX, GeoPackage)">
        {(id) => (
          <FileInput
            id={id}
            onFile={(file) =>
              void doing(async () => setReading(await upload<MarkReading>(`/jobs/${jobId}/library/read`, { file })))
            }
          />
        )}
      </Field>
      {reading && (
        <div className="mt-1 border border-ink bg-sheet p-2" data-testid="marks-read">
          <p className="text-sm">
            {reading.marks.length} marks:{" "}
            {reading.marks
              .slice(0, 8)
              .map((m) => m.designation)
              .join(", ")}
            {reading.marks.length > 8 && "…"}. {reading.how.join(" ")}
          </p>
          <div className="mt-1 flex flex-wrap items-end gap-3">
            <Field label={`95 % circle, ${fineUnit(unit)}`}>
              {(id) => (
                <FineField
                  id={id}
                  value={said.circle_95}
                  unit={unit}
                  onCommit={(v) => setSaid({ ...said, circle_95: v })}
                />
              )}
            </Field>
            <Field label={`95 % height, ${fineUnit(unit)}`}>
              {(id) => (
                <FineField
                  id={id}
                  value={said.height_95}
                  unit={unit}
                  onCommit={(v) => setSaid({ ...said, height_95: v })}
                />
              )}
            </Field>
            <Field label="Where they come from">
              {(id) => (
                <TextField
                  id={id}
                  width="w-56"
                  value={said.source}
                  optional
                  onCommit={(source) => setSaid({ ...said, source })}
                />
              )}
            </Field>
            <button
              className="button"
              disabled={!said.source || said.circle_95 === null || said.height_95 === null}
              onClick={() => void keep()}
            >
              keep {reading.marks.length} marks
            </button>
            <button className="button" onClick={() => setReading(null)}>
              not these
            </button>
          </div>
        </div>
      )}
    </div>
  );
}
