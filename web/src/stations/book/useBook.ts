import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { call, type Book, type Entry, type Said } from "../../api/client";
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
  const say = (said: Said, corrects: string | null = null) =>
    void write([{ id: newId(), device: device(), at: here(), by, visit, said, corrects, attachments: [] }]);
  return { book: kept.data, asked: kept.dataUpdatedAt, lines, say };
}

/** What this device is called in its entries: made once, kept here. */
function device(): string {
  const known = localStorage.getItem("kardo-device");
  if (known) return known;
  const made = `device ${newId().slice(0, 4)}`;
  localStorage.setItem("kardo-device", made);
  return made;
}

type Kind = Said["kind"];

/** What standing entries of a kind say. */
export function said<K extends Kind>(lines: Line[], kind: K): Extract<Said, { kind: K }>[] {
  return lines
    .filter((l) => l.stands && l.entry.said.kind === kind)
    .map((l) => l.entry.said as Extract<Said, { kind: K }>);
}

/** Whether a task of the day is done, by what stands in the book. */
export function isDone(task: { id: string; about: string[] }, lines: Line[]): boolean {
  if (said(lines, "tick").some((t) => t.what === task.id)) return true;
  const points = task.about.filter((path) => path.startsWith("control/")).map((path) => path.slice(8));
  const gone = new Set(said(lines, "not_reached").map((s) => s.point));
  const all = (done: (point: string) => boolean) => points.length > 0 && points.every((p) => gone.has(p) || done(p));
  if (task.id === "targets-out") {
    const out = new Set([...said(lines, "target_out"), ...said(lines, "target_moved")].map((s) => s.point));
    return all((p) => out.has(p));
  }
  if (task.id === "targets-in") {
    const taken = new Set(said(lines, "target_in").map((s) => s.point));
    return all((p) => taken.has(p));
  }
  if (task.id.startsWith("observe-")) {
    const round = Number(task.id.split("-").at(-1));
    const occupied = said(lines, "occupation").map((s) => s.point);
    return all((p) => occupied.filter((o) => o === p).length >= round);
  }
  if (task.id.startsWith("leg-")) {
    const [, flight, leg] = /^leg-(.+)-(\d+)$/.exec(task.id)!;
    const legs = [...said(lines, "leg"), ...said(lines, "leg_not_flown")];
    return legs.some((s) => s.flight === flight && s.leg === Number(leg));
  }
  if (task.id.startsWith("base-in-")) return said(lines, "log_end").some((s) => s.setup === task.id.slice(8));
  if (task.id.startsWith("base-")) return said(lines, "log_start").some((s) => s.setup === task.id.slice(5));
  if (task.id === "way-out") return said(lines, "arrival").length > 0;
  if (task.id === "way-back") return said(lines, "departure").length > 0;
  return false;
}
