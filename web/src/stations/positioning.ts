import type { ControlPoint, PositionSource, Occupation, Plan } from "../api/client";

/** What positions can hang on, as choices of a list, with a short name for a narrow one; a choice's id is read back by
 * `hangingOf`. */
export function hangings(plan: Plan, of: "flight" | "control"): { id: string; name: string; short: string }[] {
  const setups = plan.setups.map((s) => ({ id: `setup/${s.id}`, name: setUpName(plan, s.id), short: s.name }));
  const networks = plan.networks.map((n) => ({
    id: `network/${n.id}`,
    name: /network/i.test(n.name) ? n.name : `network ${n.name}`,
    short: plan.networks.length === 1 ? "network" : n.name,
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

/** Everything that flights, control, its occupations and the local grid name as what they hang on: none of it can be taken away. */
export function allHung(plan: Plan): PositionSource[] {
  const ofControl = plan.control.flatMap((p) => [p.hangs_on, ...hungOn(p)]);
  const ofLocal = plan.brief.local ? [plan.brief.local.hangs_on] : [];
  return [...plan.flights.map((f) => f.hangs_on), ...ofControl, ...ofLocal];
}

/** What a point's occupations hang on, each once. */
export function hungOn(point: ControlPoint): PositionSource[] {
  const all = point.occupations.map((o) => o.hangs_on ?? point.hangs_on);
  return [...new Map(all.map((hung) => [JSON.stringify(hung), hung])).values()];
}

/** The change that hangs a point on one thing, all its occupations with it. */
export function hangAll(point: ControlPoint, hung: PositionSource): Partial<ControlPoint> {
  return { hangs_on: hung, occupations: point.occupations.map((o) => ({ ...o, hangs_on: null })) };
}

/** Occupations of a usual method, each hung as the point's own in its place was; further ones as its last. */
export function hungAsBefore(point: ControlPoint, occupations: Occupation[]): Occupation[] {
  return occupations.map((o, k) => ({ ...o, hangs_on: (point.occupations[k] ?? point.occupations.at(-1)!).hangs_on }));
}

export function hangingId(hung: PositionSource): string {
  if (hung.on === "setup" || hung.on === "instrument") return `${hung.on}/${hung.setup}`;
  if (hung.on === "network") return `network/${hung.network}`;
  if (hung.on === "levelled") return `levelled/${hung.mark}`;
  if (hung.on === "session") return `session/${hung.setup ?? ""}`;
  return `${hung.on}/`;
}

export function hangingOf(id: string, before?: PositionSource): PositionSource {
  const [on, key] = id.split("/") as [PositionSource["on"], string];
  if (on === "setup" || on === "instrument") return { on, setup: key };
  if (on === "network") return { on, network: key };
  if (on === "levelled") return { on, mark: key, metres: before?.on === "levelled" ? before.metres : 500 };
  if (on === "session")
    return { ...(before?.on === "session" ? before : { on, hours: 1, logger: null }), setup: key || null };
  return { on: "nothing" };
}
