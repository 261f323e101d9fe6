import type { Plan } from "../api/client";

/** One thing in which two plans differ, in the plan's own words. */
export interface Difference {
  what: string;
  first: string;
  second: string;
}

type Row = Record<string, unknown>;

const LISTS = ["marks", "correction_services", "setups", "flights", "control"] as const;

/** In what two plans differ: their single parts field by field, their rows one by one. */
export function differences(first: Plan, second: Plan): Difference[] {
  const out = [
    ...fields("brief", first.brief, second.brief),
    ...fields("assumptions", first.assumptions.overrides, second.assumptions.overrides),
  ];
  if (JSON.stringify(first.site.boundary) !== JSON.stringify(second.site.boundary))
    out.push({ what: "boundary", first: corners(first), second: corners(second) });
  const [a, b] = [first.site.ground.terrain, second.site.ground.terrain];
  if (a?.digest !== b?.digest) out.push({ what: "terrain", first: a?.source ?? "none", second: b?.source ?? "none" });
  for (const list of LISTS) out.push(...rows(first[list], second[list]));
  out.push(...rows(first.site.areas, second.site.areas));
  out.push(...rows(first.kit.cameras, second.kit.cameras));
  return out;
}

/** A value in a few letters. */
export function short(value: unknown): string {
  if (value === null || value === undefined) return "nothing";
  return (typeof value === "string" ? value : JSON.stringify(value)).slice(0, 60);
}

function corners(plan: Plan): string {
  return `${plan.site.boundary.length} corners`;
}

function words(value: unknown): string {
  if (value === null || value === undefined || value === "") return "–";
  if (typeof value === "number") return String(Math.round(value * 1e6) / 1e6);
  return typeof value === "string" ? value : JSON.stringify(value);
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
    if (!("e" in a)) return fields(name, a, b);
    const moved = Math.hypot(Number(b.e) - Number(a.e), Number(b.n) - Number(a.n));
    const rest = fields(name, { ...a, e: 0, n: 0 }, { ...b, e: 0, n: 0 });
    return moved ? [{ what: name, first: "", second: `moved ${moved.toFixed(1)} m` }, ...rest] : rest;
  });
}
