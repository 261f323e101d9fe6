import type { Change, Plan } from "../api/client";
import type { Placing } from "../app/workbench";

function free(letter: string, taken: Set<string>): string {
  let k = 1;
  while (taken.has(`${letter}${k}`)) k += 1;
  return `${letter}${k}`;
}

/** The edit that places a target, a check, or the base on a new mark at a grid position. */
export function place(
  plan: Plan,
  what: Exclude<Placing, "area" | null>,
  e: number,
  n: number,
): { change: Change[]; object: string } {
  const at = { e: Math.round(e * 10) / 10, n: Math.round(n * 10) / 10 };
  if (what === "base") {
    const id = free("M", new Set(plan.marks.flatMap((m) => [m.id, m.name])));
    const mark = { id, name: id, ...at, h: 0 };
    return {
      object: `mark/${id}`,
      change: [
        { object: `mark/${id}`, value: mark },
        { object: "base", value: { ...plan.base, mark: id } },
      ],
    };
  }
  const id = free(what === "target" ? "G" : "K", new Set(plan.control.flatMap((p) => [p.id, p.name])));
  const point = { id, name: id, role: what, ...at, h: null, method: "rtk_once", mark: null, width: 0.6 };
  return { object: `control/${id}`, change: [{ object: `control/${id}`, value: point }] };
}

/** The edit that adds an area whose volume matters. */
export function newArea(plan: Plan, ring: [number, number][]): Change {
  const id = free("A", new Set(plan.areas.flatMap((a) => [a.id, a.name])));
  const rounded = ring.map(([e, n]) => [Math.round(e * 100) / 100, Math.round(n * 100) / 100]);
  return { object: `area/${id}`, value: { id, name: id, ring: rounded } };
}
