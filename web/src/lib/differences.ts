import type { Plan } from "../api/client";

/** One thing in which two plans differ, in the plan's own words. */
export interface Difference {
  what: string;
  first: string;
  second: string;
}

type Row = Record<string, unknown>;

/** In what two plans differ: their single parts field by field, their marks and control one by one. */
export function differences(first: Plan, second: Plan): Difference[] {
  const out: Difference[] = [];
  for (const part of ["brief", "flight", "base", "assumptions"] as const)
    out.push(...fields(part, first[part] as Row, second[part] as Row));
  if (JSON.stringify(first.site.boundary) !== JSON.stringify(second.site.boundary))
    out.push({ what: "boundary", first: corners(first), second: corners(second) });
  if (first.terrain?.digest !== second.terrain?.digest)
    out.push({ what: "terrain", first: first.terrain?.source ?? "none", second: second.terrain?.source ?? "none" });
  for (const part of ["marks", "control", "areas"] as const)
    out.push(...rows(first[part] as Row[], second[part] as Row[]));
  return out;
}

function corners(plan: Plan): string {
  return `${plan.site.boundary?.length ?? 0} corners`;
}

function words(value: unknown): string {
  if (value === null || value === undefined || value === "") return "–";
  if (typeof value === "number") return String(Math.round(value * 1e6) / 1e6);
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

function fields(part: string, first: Row, second: Row): Difference[] {
  return [...new Set([...Object.keys(first), ...Object.keys(second)])]
    .filter((key) => JSON.stringify(first[key]) !== JSON.stringify(second[key]))
    .map((key) => ({
      what: `${part}: ${key.replaceAll("_", " ")}`,
      first: words(first[key]),
      second: words(second[key]),
    }));
}

function rows(first: Row[], second: Row[]): Difference[] {
  const ids = [...new Set([...first, ...second].map((row) => row.id))];
  return ids.flatMap((id) => {
    const [a, b] = [first.find((row) => row.id === id), second.find((row) => row.id === id)];
    const name = String((a ?? b)!.name);
    if (!a || !b) return [{ what: name, first: a ? "there" : "not there", second: b ? "there" : "not there" }];
    const moved = Math.hypot(Number(b.e) - Number(a.e), Number(b.n) - Number(a.n));
    const rest = fields(name, { ...a, e: 0, n: 0 }, { ...b, e: 0, n: 0 });
    return moved ? [{ what: name, first: "", second: `moved ${moved.toFixed(1)} m` }, ...rest] : rest;
  });
}
