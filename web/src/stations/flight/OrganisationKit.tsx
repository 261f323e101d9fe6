import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { askAgain } from "../../api/again";
import { call, type KeptProfile, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, freeName } from "../../lib/edits";
import { ProblemNote } from "../../ui/ProblemNote";
import { ActionsHead, Remove } from "../../ui/Remove";
import { LISTS, type Kind } from "./Profiles";
import { useDoing } from "../../ui/useDoing";

type Row = { id: string; name: string; origin?: { id: string; revision?: number } | null };

const NOT_COMPARED = new Set(["id", "origin"]);

/** What the organisation keeps of its kit, as it is and as it was; and what of the plan's own is not kept yet, or is older. */
export function OrganisationKit() {
  const { jobId, plan, catalogue, edit } = usePlan();
  const queries = useQueryClient();
  const { doing, problem, clear } = useDoing();
  const key = ["kit", jobId];
  const { data = [] } = useQuery<KeptProfile[], Problem>({
    queryKey: key,
    queryFn: () => call("GET", `/jobs/${jobId}/kit`),
  });
  const rows = LISTS.flatMap((kind) => (plan.kit[kind] as Row[]).map((row) => ({ kind, row })));
  // what ships with Kardo and was not touched is every job's anyway
  const shipped = (kind: Kind, row: Row) =>
    ((catalogue as unknown as Record<string, Row[] | undefined>)[kind] ?? []).some(
      (one) => one.id === row.origin?.id && alike({ ...row, ...plansOwn(one) }, one),
    );
  const kept = (row: Row) => data.find((one) => one.id === row.origin?.id);
  const attempt = async (work: Promise<unknown>) => {
    await doing(async () => {
      await work;
      await askAgain(queries, key);
    });
  };
  const keep = async (kind: Kind, row: Row) => {
    const made = await call<KeptProfile>("POST", `/jobs/${jobId}/kit`, { kind, profile: row });
    await edit(fieldEdits(plan, `kit/${kind}/${row.id}`, { origin: { id: made.id, revision: made.revision } }));
  };
  const take = (one: KeptProfile) => {
    const origin = { id: one.id, revision: one.revision };
    const own = (plan.kit[one.kind] as Row[]).find((row) => row.origin?.id === one.id);
    if (own) return edit(fieldEdits(plan, `kit/${one.kind}/${own.id}`, { ...one.document, origin }));
    const row: Row = { ...(one.document as Row), id: freeName("P", plan.kit[one.kind]), origin };
    return edit([added(`kit/${one.kind}`, row)]);
  };
  return (
    <section className="mt-2 border-t border-ink pt-1 text-sm" data-testid="organisation-kit">
      <h3 className="font-bold">The organisation&apos;s kit</h3>
      <p className="text-quiet">
        Kept once for all jobs, every change as a revision of its own; a plan keeps what it took until somebody takes a
        newer one.
      </p>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      <ul>
        {rows
          .filter(({ kind, row }) => !shipped(kind, row) && !same(kept(row), row, kind))
          .map(({ kind, row }) => (
            <li key={`${kind}/${row.id}`} className="flex items-baseline gap-2">
              {row.name}
              <button className="button px-1 py-0" onClick={() => void attempt(keep(kind, row))}>
                {kept(row) ? `keep as revision ${kept(row)!.revision + 1}` : "keep for all jobs"}
              </button>
            </li>
          ))}
      </ul>
      {data.length > 0 && (
        <table className="table">
          <thead>
            <tr>
              <th>kept</th>
              <th>kind</th>
              <th className="num">revision</th>
              <th>since</th>
              <th>by</th>
              <th>
                <span className="sr-only">take</span>
              </th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {data.map((one) => (
              <Kept
                key={one.id}
                one={one}
                onTake={() => void take(one)}
                onRetire={() => void attempt(call("DELETE", `/jobs/${jobId}/kit/${one.id}`))}
              />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** A camera's calibration is the plan's own. */
const plansOwn = (one: Row) => ("calibration" in one ? { calibration: one.calibration } : {});

/** Whether the plan has a kept profile just as it is. */
function same(one: KeptProfile | undefined, row: Row, kind: Kind): boolean {
  if (!one || one.kind !== kind) return false;
  return alike(row, one.document);
}

/** Whether a profile of the plan has the figures of another, wherever both stand and came from. */
function alike(row: Row, other: Record<string, unknown>): boolean {
  const own = row as Row & Record<string, unknown>;
  const fields = Object.keys({ ...own, ...other }).filter((f) => !NOT_COMPARED.has(f));
  return fields.every((f) => JSON.stringify(own[f]) === JSON.stringify(other[f]));
}

function Kept({ one, onTake, onRetire }: { one: KeptProfile; onTake: () => void; onRetire: () => void }) {
  const { jobId, plan } = usePlan();
  const [open, setOpen] = useState(false);
  const { data = [] } = useQuery<KeptProfile[], Problem>({
    queryKey: ["kit", jobId, one.id, one.revision],
    queryFn: () => call("GET", `/jobs/${jobId}/kit/${one.id}/versions`),
    enabled: open,
  });
  const own = (plan.kit[one.kind] as Row[]).find((row) => row.origin?.id === one.id);
  const newer = own && (own.origin?.revision ?? 1) < one.revision;
  const name = String(one.document.name);
  return (
    <>
      <tr>
        <td>
          <button className="cursor-pointer underline" aria-expanded={open} onClick={() => setOpen(!open)}>
            {name}
          </button>
        </td>
        <td>{one.kind}</td>
        <td className="num figures">{one.revision}</td>
        <td className="figures">{one.at.slice(0, 10)}</td>
        <td>{one.by}</td>
        <td>
          {(!own || newer) && (
            <button className="button px-1 py-0" onClick={onTake}>
              {newer ? `take revision ${one.revision}` : "take into this plan"}
            </button>
          )}
        </td>
        <td>
          <Remove onClick={onRetire}>retire {name}</Remove>
        </td>
      </tr>
      {open && data.length > 0 && (
        <tr>
          <td colSpan={7} className="text-quiet">
            {data.map((version, k) => (
              <p key={version.revision}>
                {version.revision}: {version.at.slice(0, 10)}, {version.by}
                {data[k + 1] && `: ${changes(data[k + 1]!.document, version.document)}`}
              </p>
            ))}
          </td>
        </tr>
      )}
    </>
  );
}

/** What differs between two revisions, field by field. */
function changes(before: Record<string, unknown>, after: Record<string, unknown>): string {
  const fields = Object.keys({ ...before, ...after }).filter(
    (f) => JSON.stringify(before[f]) !== JSON.stringify(after[f]),
  );
  const shown = (value: unknown) => (typeof value === "string" ? value : JSON.stringify(value));
  return (
    fields.map((f) => `${f.replaceAll("_", " ")} ${shown(before[f])} → ${shown(after[f])}`).join(", ") || "the same"
  );
}
