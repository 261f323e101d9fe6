import type { ControlPoint, PositionSource, Occupation, Plan } from "../api/client";

/** What positions can rest on, as choices of a list, with a short name for a narrow one; a choice's id is read back by
 * `positionSourceOf`. */
export function positionSources(plan: Plan, of: "flight" | "control"): { id: string; name: string; short: string }[] {
  const setups = plan.setups.map((s) => ({ id: `setup/${s.id}`, name: setUpName(plan, s.id), short: s.name }));
  const networks = plan.correction_services.map((n) => ({
    id: `service/${n.id}`,
    name: /network/i.test(n.name) ? n.name : `network ${n.name}`,
    short: plan.correction_services.length === 1 ? "network" : n.name,
  }));
  const own = { id: "nothing/", name: "nothing", short: "nothing" };
  if (of === "flight") return [...setups, ...networks, own];
  const instruments = plan.setups
    .filter((s) => s.mark)
    .map((s) => ({
      id: `instrument/${s.id}`,
      name: `total station, ${setUpName(plan, s.id)}`,
      short: `station, ${s.name}`,
    }));
  const session = { id: "session/", name: "logs for itself, against a reference network", short: "log, network" };
  const baselines = plan.setups
    .filter((s) => s.mark)
    .map((s) => ({
      id: `session/${s.id}`,
      name: `logs for itself, against ${setUpName(plan, s.id)}`,
      short: `log, ${s.name}`,
    }));
  const levelled = plan.marks.map((m) => ({
    id: `levelled/${m.id}`,
    name: `levelled from ${m.name}`,
    short: `level, ${m.name}`,
  }));
  return [...setups, ...networks, session, ...baselines, ...instruments, ...levelled, own];
}

/** A set-up by its own name and its mark's. */
export function setUpName(plan: Plan, id: string): string {
  const setup = plan.setups.find((s) => s.id === id);
  const mark = plan.marks.find((m) => m.id === setup?.mark)?.name;
  return mark ? `${setup!.name} · ${mark}` : `${setup?.name ?? id}`;
}

/** Everything that flights, control, its occupations and the local grid name as what they rest on: none of it can be taken away. */
export function allSources(plan: Plan): PositionSource[] {
  const ofControl = plan.control.flatMap((p) => [p.positioned_from, ...sourcesOfPoint(p)]);
  const ofLocal = plan.brief.local ? [plan.brief.local.positioned_from] : [];
  return [...plan.flights.map((f) => f.positioned_from), ...ofControl, ...ofLocal];
}

/** What a point's occupations rest on, each once. */
export function sourcesOfPoint(point: ControlPoint): PositionSource[] {
  const all = point.occupations.map((o) => o.positioned_from ?? point.positioned_from);
  return [...new Map(all.map((hung) => [JSON.stringify(hung), hung])).values()];
}

/** The change that hangs a point on one thing, all its occupations with it. */
export function allFromSource(point: ControlPoint, hung: PositionSource): Partial<ControlPoint> {
  return { positioned_from: hung, occupations: point.occupations.map((o) => ({ ...o, positioned_from: null })) };
}

/** Occupations of a usual method, each hung as the point's own in its place was; further ones as its last. */
export function fromSourcesAsBefore(point: ControlPoint, occupations: Occupation[]): Occupation[] {
  return occupations.map((o, k) => ({
    ...o,
    positioned_from: (point.occupations[k] ?? point.occupations.at(-1)!).positioned_from,
  }));
}

export function positionSourceId(hung: PositionSource): string {
  if (hung.on === "setup" || hung.on === "instrument") return `${hung.on}/${hung.setup}`;
  if (hung.on === "service") return `service/${hung.service}`;
  if (hung.on === "levelled") return `levelled/${hung.mark}`;
  if (hung.on === "session") return `session/${hung.setup ?? ""}`;
  return `${hung.on}/`;
}

export function positionSourceOf(id: string, before?: PositionSource): PositionSource {
  const [on, key] = id.split("/") as [PositionSource["on"], string];
  if (on === "setup" || on === "instrument") return { on, setup: key };
  if (on === "service") return { on, service: key };
  if (on === "levelled") return { on, mark: key, metres: before?.on === "levelled" ? before.metres : 500 };
  if (on === "session")
    return { ...(before?.on === "session" ? before : { on, hours: 1, logger: null }), setup: key || null };
  return { on: "nothing" };
}
