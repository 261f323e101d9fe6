import type { Edit, Plan } from "../api/client";

type Row = Record<string, unknown> & { id: string };
type Container = Record<string, unknown> | Row[];

/** Edits laid over a plan, for the moment until the server has taken them: what they make, whatever stood there. */
export function applied(plan: Plan, edits: Edit[]): Plan {
  return edits.reduce((so, edit) => put(so, edit.path.split("/"), edit.after, edit.at) as Plan, plan);
}

/** What stands at a path of the plan; null for a row that is not there. */
export function valueAt(plan: Plan, path: string): unknown {
  let here: unknown = plan;
  for (const key of path.split("/")) {
    if (here === null || here === undefined) return null;
    here = Array.isArray(here) ? (here as Row[]).find((row) => row.id === key) : (here as Record<string, unknown>)[key];
  }
  return here ?? null;
}

/** Edits of some fields of one part, formed on what stands there. */
export function fieldEdits(plan: Plan, path: string, change: object): Edit[] {
  return Object.entries(change)
    .map(([key, after]) => ({
      path: `${path}/${key}`,
      before: valueAt(plan, `${path}/${key}`),
      after: after as unknown,
    }))
    .filter((edit) => !same(edit.before, edit.after));
}

/** The edit that adds a row to a list of the plan. */
export function added(list: string, row: { id: string }): Edit {
  return { path: `${list}/${row.id}`, before: null, after: row };
}

/** The edit that takes a row away. */
export function removed(plan: Plan, path: string): Edit {
  return { path, before: valueAt(plan, path), after: null };
}

/** The first name of a letter and a number that nobody has, as id or as name. */
export function freeName(letter: string, rows: { id: string; name: string }[]): string {
  const taken = new Set(rows.flatMap((row) => [row.id, row.name]));
  let k = 1;
  while (taken.has(`${letter}${k}`)) k += 1;
  return `${letter}${k}`;
}

export function same(a: unknown, b: unknown): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

function put(here: Container, path: string[], value: unknown, at?: number | null): Container {
  const [key, ...rest] = path as [string, ...string[]];
  if (Array.isArray(here)) {
    const place = here.findIndex((row) => row.id === key);
    if (rest.length)
      return place < 0 ? here : here.map((row, k): Row => (k === place ? (put(row, rest, value, at) as Row) : row));
    if (value === null) return here.filter((row) => row.id !== key);
    const own = value as Row;
    if (place >= 0) return here.map((row, k) => (k === place ? own : row));
    return [...here.slice(0, at ?? here.length), own, ...here.slice(at ?? here.length)];
  }
  if (rest.length) {
    const child = here[key];
    return child && typeof child === "object" ? { ...here, [key]: put(child as Container, rest, value, at) } : here;
  }
  return { ...here, [key]: value };
}
