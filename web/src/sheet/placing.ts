import type { ControlPoint, Edit, PositionSource, Plan, SiteFeature } from "../api/client";
import type { Placing } from "../app/workbench/selection";
import { added, fieldEdits, freeName, valueAt } from "../lib/edits";

type Role = ControlPoint["role"];

/** What a further point rests on: what most of the control does, else the first flight's base. */
export function usualSource(plan: Plan): PositionSource {
  const counts = new Map<string, number>();
  for (const p of plan.control) {
    const key = JSON.stringify(p.positioned_from);
    counts.set(key, (counts.get(key) ?? 0) + 1);
  }
  const most = [...counts].sort((a, b) => b[1] - a[1])[0];
  if (most) return JSON.parse(most[0]) as PositionSource;
  return plan.flights[0]?.positioned_from ?? { on: "nothing" };
}

/** A new control point, otherwise as the catalogue has it. */
export function newPoint(like: ControlPoint, plan: Plan, role: Role, id: string, e: number, n: number): ControlPoint {
  return { ...like, id, name: id, role, e, n, positioned_from: usualSource(plan) };
}

/** The edits that place a target, a check, the base on a new mark, or where a flight takes off, at a grid position; and what of it is selected. */
export function place(
  like: ControlPoint,
  plan: Plan,
  what: Exclude<Placing, "area" | "feature" | null>,
  e: number,
  n: number,
): { edits: Edit[]; object: string | null } {
  const at = { e: Math.round(e * 10) / 10, n: Math.round(n * 10) / 10 };
  if (what.startsWith("take-off/")) {
    const [, id, sortie] = what.split("/");
    const moves = plan.flights.find((flight) => flight.id === id)?.take_off_moves ?? [];
    const moved = moves.map((m) => (`${m.from_sortie}` === sortie ? { ...m, place: [at.e, at.n] } : m));
    const change = sortie ? { take_off_moves: moved } : { take_off: [at.e, at.n] };
    return { object: null, edits: fieldEdits(plan, `flights/${id}`, change) };
  }
  if (what === "base") {
    const id = freeName("M", plan.marks);
    // a click is no survey: the position is one taken here, until its coordinates are typed; its height the ground's
    const mark = { id, name: id, ...at, h: null, known: "here" };
    return { object: `marks/${id}`, edits: [added("marks", mark), ...standOn(plan, id)] };
  }
  const id = freeName(what === "target" ? "G" : "K", plan.control);
  return {
    object: `control/${id}`,
    edits: [added("control", newPoint(like, plan, what === "target" ? what : "check", id, at.e, at.n))],
  };
}

/** The first flight's base stands on a mark from now on. */
export function standOn(plan: Plan, mark: string): Edit[] {
  const hung = plan.flights.find((f) => f.positioned_from.on === "setup")?.positioned_from;
  const setup = hung?.on === "setup" ? hung.setup : plan.setups[0]?.id;
  return setup && valueAt(plan, `setups/${setup}`) ? fieldEdits(plan, `setups/${setup}`, { mark }) : [];
}

/** The edit that adds an area whose volume matters. */
export function newArea(plan: Plan, ring: [number, number][]): Edit {
  const id = freeName("A", plan.site.areas);
  return added("site/areas", { id, name: id, ring: toCentimetres(ring) } as { id: string });
}

/** The edit that adds something that is on the site, named by what it is. */
export function newFeature(plan: Plan, what: Pick<SiteFeature, "kind" | "shape">, vertices: [number, number][]): Edit {
  const id = freeName("F", plan.site.features);
  const count = plan.site.features.filter((f) => f.kind === what.kind).length + 1;
  const name = `${what.kind.replaceAll("_", " ")} ${count}`;
  return added("site/features", {
    id,
    name,
    ...what,
    vertices: toCentimetres(vertices),
    height: 0,
    note: "",
    zone: null,
  } as never);
}

/** The edits that make a drawn ring the boundary. */
export function newBoundary(plan: Plan, ring: [number, number][]): Edit[] {
  return fieldEdits(plan, "site", { boundary: toCentimetres(ring) });
}

function toCentimetres(ring: [number, number][]): [number, number][] {
  return ring.map(([e, n]) => [Math.round(e * 100) / 100, Math.round(n * 100) / 100]);
}
