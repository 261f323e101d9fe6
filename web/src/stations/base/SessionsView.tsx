import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, upload, type BaseLog, type Problem, type Sessions } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits } from "../../lib/edits";
import { fine, fineUnit, length } from "../../lib/units";
import { Field, FineField, NumberField, Select, unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remarks } from "../../ui/Remarks";
import { clockOf } from "../day/useDay";
import { OF_A_NETWORK, useNetworks } from "./ReferenceStations";

/** When the bases log, how long a static session takes, and what a log that came back holds. */
export function SessionsView() {
  const { jobId, plan, answer } = usePlan();
  const { unit } = plan.brief;
  const [wanted, setWanted] = useState(0.012);
  const found = useQuery<Sessions, Problem>({
    queryKey: ["sessions", jobId, answer.revision, wanted],
    queryFn: () => call<Sessions>("GET", `/jobs/${jobId}/sessions?wanted_up=${wanted}`),
    placeholderData: (previous) => previous,
  });
  const told = found.data;
  const hours = (h: number) => `${h.toFixed(h < 10 ? 1 : 0)} h`;
  return (
    <section data-testid="sessions">
      {found.error && <ProblemNote problem={found.error} />}
      {told && !told.rows.length && (
        <p className="text-quiet">
          No base stands on a mark on any day yet: choose a mark under set-ups, and a date in the Day.
        </p>
      )}
      {told && told.rows.length > 0 && (
        <table className="table">
          <thead>
            <tr>
              <th>base</th>
              <th>day</th>
              <th className="num">logs from, h:min</th>
              <th className="num">to, h:min</th>
              <th className="num">every</th>
              <th className="num">epochs, no.</th>
              <th className="num">raw data, about</th>
              <th className="num">battery, h</th>
              <th className="num">memory, MB</th>
            </tr>
          </thead>
          <tbody>
            {told.rows.map((row) => (
              <tr key={row.setup + row.visit}>
                <td>
                  {row.name}
                  {row.lacks.map((words) => (
                    <span key={words} className="block text-sm font-bold text-decision-text">
                      {words}
                    </span>
                  ))}
                </td>
                <td className="whitespace-nowrap">{row.date || row.visit}</td>
                {row.first === null ? (
                  <td colSpan={5} className="text-sm text-quiet">
                    {row.why}
                  </td>
                ) : (
                  <>
                    <td className="num">{clockOf(row.first)}</td>
                    <td className="num">{clockOf(row.last)}</td>
                    <td className="num">
                      <LogFigure setup={row.setup} what="interval_s" label="Seconds between epochs" /> s
                    </td>
                    <td className="num">{row.epochs}</td>
                    <td className="num">{row.megabytes.toFixed(0)} MB</td>
                  </>
                )}
                <td className="num">
                  <LogFigure setup={row.setup} what="battery_h" label="Hours that the battery lasts" />
                </td>
                <td className="num">
                  <LogFigure setup={row.setup} what="memory_mb" label="Megabytes free" />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="text-sm text-quiet">
        From 15 min before the first take-off to 10 min after the last landing, as the Day has them. Battery and memory
        for longer than that.{" "}
        {told?.rows.some((row) => row.first !== null) && (
          <a className="underline" href={`/api/jobs/${jobId}/sessions.ics`}>
            calendar
          </a>
        )}
      </p>
      <div className="mt-2 flex flex-wrap items-start gap-x-8 gap-y-3">
        {told && (
          <div>
            <h3 className="font-bold">A base fixed by a static session</h3>
            <table className="table text-sm">
              <thead>
                <tr>
                  <th className="num">logged</th>
                  <th className="num pl-4">σ H, {fineUnit(unit)}</th>
                  <th className="num pl-4">σ V, {fineUnit(unit)}</th>
                </tr>
              </thead>
              <tbody>
                {told.static.map((s) => (
                  <tr key={s.hours}>
                    <td className="num">{hours(s.hours)}</td>
                    <td className="num pl-4">{fine(s.sigma_h, unit)}</td>
                    <td className="num pl-4">{fine(s.sigma_v, unit)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <div className="mt-1 flex flex-wrap items-end gap-2">
              <Field label={`For σ V of, ${fineUnit(unit)}`}>
                {(id) => <FineField id={id} value={wanted} unit={unit} onCommit={setWanted} />}
              </Field>
              <p>
                {told.wanted
                  ? `log ${hours(told.wanted.hours)}, which gives σ H ${fine(told.wanted.sigma_h, unit)} ${fineUnit(unit)}.`
                  : "nobody would stand so long: choose a better mark."}
              </p>
            </div>
          </div>
        )}
        <LogReading />
      </div>
      {told && told.recordings.length > 0 && <SelfLogging told={told} />}
    </section>
  );
}

const LOG = { start: "", end: "", interval_s: 1, battery_h: null, memory_mb: null };

/** A figure of what a set-up's receiver logs, typed where it is read; empty where nobody said. */
function LogFigure(props: { setup: string; what: "interval_s" | "battery_h" | "memory_mb"; label: string }) {
  const { plan, edit } = usePlan();
  const setup = plan.setups.find((s) => s.id === props.setup);
  if (!setup) return null;
  const log = { ...LOG, ...setup.log };
  const set = (value: number | null) =>
    void edit(fieldEdits(plan, `setups/${setup.id}`, { log: { ...log, [props.what]: value } as typeof setup.log }));
  return (
    <NumberField
      label={`${props.label}, ${setup.name}`}
      width="w-16"
      decimals={props.what === "memory_mb" ? 0 : 1}
      value={log[props.what]}
      placeholder="type it"
      onCommit={set}
      onClear={props.what === "interval_s" ? undefined : () => set(null)}
    />
  );
}

/** Targets that log for themselves: what each is, how long it is left, and how long its kind must be. */
function SelfLogging({ told }: { told: Sessions }) {
  const { plan, catalogue, edit } = usePlan();
  const { unit } = plan.brief;
  const known = new Map([...catalogue.loggers, ...plan.kit.loggers].map((one) => [one.id, one.name]));
  const kinds = [{ id: "", name: "not said" }, ...[...known].map(([id, name]) => ({ id, name }))];
  const choose = (id: string, logger: string) => {
    const point = plan.control.find((p) => p.id === id)!;
    if (point.positioned_from.on !== "session") return;
    const held = plan.kit.loggers.some((one) => one.id === logger);
    const profile = catalogue.loggers.find((one) => one.id === logger);
    const hung = fieldEdits(plan, `control/${id}`, {
      positioned_from: { ...point.positioned_from, logger: logger || null },
    });
    void edit([...(held || !profile ? [] : [added("kit/loggers", profile)]), ...hung]);
  };
  return (
    <div className="mt-3" data-testid="self-logging">
      <h3 className="font-bold">Targets that log for themselves</h3>
      <p>{told.told}</p>
      <table className="table text-sm">
        <thead>
          <tr>
            <th>point</th>
            <th>what it is</th>
            <th className="num">to the base, {unitName(unit)}</th>
            <th className="num">records, min</th>
            <th className="num">asked, min</th>
          </tr>
        </thead>
        <tbody>
          {told.recordings.map((one) => {
            const point = plan.control.find((p) => p.id === one.point);
            return (
              <tr key={one.point}>
                <td>{point?.name}</td>
                <td>
                  {point?.positioned_from.on === "session" ? (
                    <Select
                      label={`What ${point.name} is`}
                      value={one.logger}
                      options={kinds}
                      onChange={(logger) => choose(one.point, logger)}
                    />
                  ) : (
                    "one of several occupations"
                  )}
                </td>
                <td className="num">{length(one.away, unit, 0)}</td>
                <td className="num">{(60 * one.hours).toFixed(0)}</td>
                <td className="num">{one.asked_min ?? "–"}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

/** A raw log that came back, held against the plan. */
function LogReading() {
  const { jobId, plan } = usePlan();
  const [told, setTold] = useState<BaseLog | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [busy, setBusy] = useState(false);
  const networks = useNetworks();
  const stations = plan.setups.filter((s) =>
    plan.marks.some((m) => m.id === s.mark && m.source.startsWith(OF_A_NETWORK)),
  );
  const read = async (ask: () => Promise<BaseLog>) => {
    setBusy(true);
    setTold(null);
    setProblem(null);
    try {
      setTold(await ask());
    } catch (fault) {
      setProblem(fault as Problem);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="min-w-[300px] flex-1">
      <h3 className="font-bold">What a base's log holds</h3>
      <p className="text-sm text-quiet">
        RINEX 2.11 or 3.0x, also packed (gzip, Hatanaka). It is read and held against this plan; nothing is kept.
      </p>
      <FileInput
        label="Raw log of a base"
        disabled={busy}
        onFile={(file) => void read(() => upload<BaseLog>(`/jobs/${jobId}/log`, { file }))}
      />
      {stations.map((setup) =>
        networks.map((network) => (
          <button
            key={setup.id + network}
            className="button mt-1 mr-2 text-sm"
            disabled={busy}
            onClick={() => void read(() => call("POST", `/jobs/${jobId}/stations/log`, { network, setup: setup.id }))}
          >
            that of {setup.name} from {network}
          </button>
        )),
      )}
      {busy && <p role="status">reading…</p>}
      {problem && <ProblemNote problem={problem} onClose={() => setProblem(null)} />}
      {told && (
        <div data-testid="log-told">
          <p className="mt-1">
            <strong>{told.marker || "no marker"}</strong>: {told.first.replace("T", " ")} to{" "}
            {told.last.replace("T", " ")} GPS time, {told.epochs} epochs
            {told.interval ? ` every ${told.interval} s` : ""};{" "}
            {Object.entries(told.systems)
              .map(([system, count]) => `${count} ${system}`)
              .join(", ")}
            ; {told.gaps} {told.gaps === 1 ? "gap" : "gaps"}, {told.slips} cycle slips.
          </p>
          {told.findings.length === 0 && <p className="text-settled">Nothing found against it.</p>}
          <Remarks of={told.findings} />
        </div>
      )}
    </div>
  );
}
