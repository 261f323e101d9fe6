import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { call, type Book, type Day, type Entry, type Said } from "../../api/client";
import { here, useOutbox, usePlan } from "../../app/plan";
import { newId } from "../../app/outbox";

/** An entry of the book as this device knows it: kept by the server, or still on its way. */
export interface Line {
  entry: Entry;
  stands: boolean;
  waiting: boolean;
}

/** The book, with what this device has written and the server has not yet taken; and how to write into it. */
export function useBook(visit: string, by: string) {
  const { jobId } = usePlan();
  const { entries: steps, write } = useOutbox();
  const kept = useQuery({
    queryKey: ["book", jobId],
    queryFn: () => call<Book>("GET", `/jobs/${jobId}/book`),
    refetchInterval: (query) => (query.state.data?.enough.includes("being computed") ? 3000 : false),
  });
  const lines = useMemo(() => {
    const known = kept.data?.entries ?? [];
    const ids = new Set(known.map((k) => k.entry.id));
    const unsent = steps.flatMap((s) => s.entries ?? []).filter((e) => !ids.has(e.id));
    const corrected = new Set(unsent.map((e) => e.corrects));
    const all: Line[] = [
      ...known.map((k) => ({ entry: k.entry, stands: k.stands && !corrected.has(k.entry.id), waiting: false })),
      ...unsent.map((entry) => ({ entry, stands: entry.said.kind !== "withdrawn", waiting: true })),
    ];
    return all.sort((a, b) => a.entry.at.localeCompare(b.entry.at));
  }, [kept.data, steps]);
  const say = (said: Said, corrects: string | null = null, attachments: string[] = []) =>
    void write([{ id: newId(), device: device(), at: here(), by, visit, said, corrects, attachments }]);
  return { book: kept.data, asked: kept.dataUpdatedAt, lines, say };
}

/** Metres that antenna heights may differ by, as the rule of the base has it: Infinity before the catalogue is here. */
export function useMostApart(): number {
  const { catalogue } = usePlan();
  return catalogue.rules.find((rule) => rule.id === "base-readings")?.threshold ?? Infinity;
}

/** What this device is called in its entries: made once, kept here. */
function device(): string {
  const known = localStorage.getItem("kardo-device");
  if (known) return known;
  const made = `device ${newId().slice(0, 4)}`;
  localStorage.setItem("kardo-device", made);
  return made;
}

type Task = Day["tasks"][number];
type Kind = Said["kind"];

/** What standing entries of a kind say. */
export function said<K extends Kind>(lines: Line[], kind: K): Extract<Said, { kind: K }>[] {
  return lines
    .filter((l) => l.stands && l.entry.said.kind === kind)
    .map((l) => l.entry.said as Extract<Said, { kind: K }>);
}

/** Points of a task that still want it, in the order they are reached: not those that could not be reached, or were lost. */
export function openPoints(task: Task, lines: Line[]): string[] {
  const has = (some: { point: string }[]) => new Set(some.map((s) => s.point));
  const moved = said(lines, "target_moved");
  const gone = has([...said(lines, "not_reached"), ...moved.filter((m) => m.after_observed)]);
  const out = has([...said(lines, "target_out"), ...moved]);
  const taken = has(said(lines, "target_in"));
  const occupied = [...said(lines, "occupation"), ...said(lines, "session_on")].map((s) => s.point);
  const done = (point: string) => {
    if (task.kind === "targets_out") return out.has(point);
    if (task.kind === "targets_in") return taken.has(point);
    return occupied.filter((o) => o === point).length >= task.number;
  };
  const points = task.about.filter((path) => path.startsWith("control/")).map((path) => path.slice(8));
  return points.filter((point) => !gone.has(point) && !done(point));
}

/** The set-up or flight that a task is about, by id. */
export function subject(task: Task): string {
  return task.about[0]?.split("/")[1] ?? "";
}

/** Whether a task of the day is done, by what stands in the book. */
export function isDone(task: Task, lines: Line[]): boolean {
  if (said(lines, "tick").some((t) => t.what === task.id)) return true;
  const own = subject(task);
  switch (task.kind) {
    case "targets_out":
    case "targets_in":
    case "observe":
      return openPoints(task, lines).length === 0;
    case "leg":
      return [...said(lines, "leg"), ...said(lines, "leg_not_flown")].some(
        (s) => s.flight === own && s.leg === task.number,
      );
    case "base":
      return said(lines, "log_start").some((s) => s.setup === own);
    case "base_in":
      return said(lines, "log_end").some((s) => s.setup === own);
    case "way_out":
      return said(lines, "arrival").length > 0;
    case "way_back":
      return said(lines, "departure").length > 0;
    default:
      return false;
  }
}
