import type { Plan } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, freeName, removed, valueAt } from "../../lib/edits";
import { NumberField, Select, TextField } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";

export type Kind = keyof Plan["kit"];
export const LISTS: Kind[] = [
  "cameras",
  "scanners",
  "aircraft",
  "batteries",
  "antennas",
  "receivers",
  "poles",
  "loggers",
];

/** A column of profiles: where its figure stands in one (`unit/heading_deg`), what it is called, its unit in the head; options: one of a few. */
export interface Column {
  path: string;
  head: string;
  words: string;
  decimals?: number;
  scale?: number;
  title?: string;
  options?: { id: string; name: string }[];
}

/** Profiles of one kind of the plan's kit, typed as their data sheets have them. used: ids that flights carry, which stay. first: what one is typed like where there
 * is none yet. bare: only the figures, of rows that are named and removed elsewhere. */
export function Profiles({
  kind,
  what,
  columns,
  used,
  first,
  bare = false,
}: {
  kind: Kind;
  what: string;
  columns: Column[];
  used: Set<string | null>;
  first?: { id: string; name: string };
  bare?: boolean;
}) {
  const { plan, edit } = usePlan();
  const rows = plan.kit[kind] as unknown as { id: string; name: string }[];
  const like = rows[0] ?? first;
  const another = () => {
    if (!like) return;
    const row = { ...like, id: freeName("P", rows), origin: null, name: `${like.name}, own`.slice(0, 60) };
    void edit([added(`kit/${kind}`, row)]);
  };
  return (
    <>
      {rows.length > 0 && (
        <table className="table text-sm">
          <thead>
            <tr>
              <th>{what}</th>
              {columns.map((c) => (
                <th key={c.path} className={c.options ? "" : "num"} title={c.title}>
                  {c.head}
                </th>
              ))}
              {!bare && <ActionsHead />}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.id}>
                <td>
                  {bare ? (
                    row.name
                  ) : (
                    <TextField
                      label={`Name of ${row.name}`}
                      value={row.name}
                      width="w-44"
                      onCommit={(name) => void edit(fieldEdits(plan, `kit/${kind}/${row.id}`, { name }))}
                    />
                  )}
                </td>
                {columns.map((column) => (
                  <Cell key={column.path} kind={kind} row={row} column={column} />
                ))}
                {!bare && (
                  <td>
                    {!used.has(row.id) && (
                      <Remove onClick={() => void edit([removed(plan, `kit/${kind}/${row.id}`)])}>
                        remove {row.name}
                      </Remove>
                    )}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {like && !bare && (
        <button className="button my-1 text-sm" onClick={another}>
          type {/^[aeiou]/.test(what) ? "an" : "a"} {what} from its data sheet
        </button>
      )}
    </>
  );
}

function Cell({ kind, row, column }: { kind: Kind; row: { id: string; name: string }; column: Column }) {
  const { plan, edit } = usePlan();
  const [field, ...inner] = column.path.split("/") as [string, ...string[]];
  const base = `kit/${kind}/${row.id}`;
  const whole = valueAt(plan, `${base}/${field}`);
  const value = inner.reduce<unknown>((at, key) => (at as Record<string, unknown> | undefined)?.[key], whole);
  const set = (next: unknown) => void edit(fieldEdits(plan, base, { [field]: put(whole, inner, next) }));
  const label = `${column.words} of ${row.name}`;
  return (
    <td className={column.options ? "" : "num"}>
      {column.options ? (
        <Select
          label={label}
          value={String(value)}
          options={column.options}
          onChange={(id) => set(typeof value === "boolean" ? id === "true" : id)}
        />
      ) : (
        <NumberField
          label={label}
          value={Number(value ?? 0)}
          decimals={column.decimals ?? 0}
          scale={column.scale ?? 1}
          width={(column.decimals ?? 0) > 2 || Number(value) >= 1e5 ? "w-20" : "w-14"}
          onCommit={set}
        />
      )}
    </td>
  );
}

/** A value with another one deep within. */
function put(whole: unknown, path: string[], next: unknown): unknown {
  const [key, ...rest] = path;
  if (key === undefined) return next;
  if (Array.isArray(whole))
    return (whole as unknown[]).map((part, k) => (String(k) === key ? put(part, rest, next) : part));
  const of = whole as Record<string, unknown>;
  return { ...of, [key]: put(of[key], rest, next) };
}
