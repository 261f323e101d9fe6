import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Controller, useForm } from "react-hook-form";
import { Link } from "react-router";
import { call, type RuleLine, type Rules as AllRules } from "../api/client";
import { UNITS } from "../lib/units";
import { CommitField, Select } from "../ui/fields";
import { ProblemNote } from "../ui/ProblemNote";
import { Severity } from "../ui/Severity";
import { useDoing } from "../ui/useDoing";

const SEVERITIES = [
  { id: "", name: "as usual" },
  { id: "stop", name: "stop" },
  { id: "warn", name: "warning" },
  { id: "note", name: "note" },
  { id: "off", name: "not asked" },
];

/** The rules of practice, and what the organisation asks otherwise, with why and since when. */
export function Rules() {
  const client = useQueryClient();
  const { doing, problem, clear } = useDoing();
  const [begun, setBegun] = useState("");
  const [station, setStation] = useState("");
  const [unit, setUnit] = useState(localStorage.getItem("kardo-rules-unit") ?? "");
  const found = useQuery({ queryKey: ["rules"], queryFn: () => call<AllRules>("GET", "/rules"), staleTime: 0 });
  if (!found.data) return null;
  const { may_change, rules } = found.data;
  const stations = [...new Set(rules.map((rule) => rule.station))];
  const measure = { unit: unit || (found.data.paper === "Letter" ? "us-ft" : "m") };
  const ask = async (rule: string, change: { threshold: number | null; severity: string; reason: string }) => {
    await doing(async () => {
      client.setQueryData(["rules"], await call<AllRules>("POST", "/rules", { rule, ...change }));
      await client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== "rules" }); // whatever acts on a figure
      setBegun("");
    });
  };
  const choose = async (paper: string) => {
    await doing(async () => {
      client.setQueryData(["rules"], await call<AllRules>("POST", "/rules/paper", { paper }));
      await client.invalidateQueries({ queryKey: ["session"] });
    });
  };
  return (
    <main className="mx-auto max-w-6xl p-6">
      <header className="flex items-baseline gap-4 border-b border-ink pb-2">
        <h1 className="flex-1 text-2xl font-bold">Rules of practice</h1>
        <Link className="underline" to="/">
          All jobs
        </Link>
      </header>
      <p className="mt-3">
        Thresholds are common practice, not law.{" "}
        {may_change
          ? "What you ask otherwise holds for every job of the organisation from now on, with your reason beside it."
          : "Those who may sign for the organisation can ask them otherwise."}
      </p>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      <p className="mt-3 flex items-center gap-2">
        Paper of the organisation
        {may_change ? (
          <Select
            label="Paper of the organisation"
            value={found.data.paper}
            options={[
              { id: "A4", name: "A4 and A3" },
              { id: "Letter", name: "Letter and Tabloid" },
            ]}
            onChange={(paper) => void choose(paper)}
          />
        ) : (
          <strong>{found.data.paper}</strong>
        )}
      </p>
      <p className="mt-3 flex flex-wrap items-center gap-2">
        Rules of
        <Select
          label="Rules of"
          value={station}
          options={[{ id: "", name: "every station" }, ...stations.map((id) => ({ id, name: id }))]}
          onChange={setStation}
        />
        lengths in
        <Select
          label="Lengths in"
          value={measure.unit}
          options={Object.values(UNITS).map(({ id, short }) => ({ id, name: short }))}
          onChange={(id) => {
            localStorage.setItem("kardo-rules-unit", id);
            setUnit(id);
          }}
        />
      </p>
      <table className="table mt-3 text-sm">
        <thead>
          <tr>
            <th>station</th>
            <th>what is asked, and why</th>
            <th>severity</th>
            <th className="num">threshold</th>
            <th>asked here</th>
          </tr>
        </thead>
        <tbody>
          {rules
            .filter((rule) => !station || rule.station === station)
            .map((rule) => (
              <tr key={rule.id} data-testid={`rule-${rule.id}`}>
                <td>{rule.station}</td>
                <td className="max-w-md">
                  <p>{rule.asks}</p>
                  <p className="text-quiet">{rule.why}</p>
                </td>
                <td>
                  <Severity of={rule.severity} /> {rule.severity}
                </td>
                <td className="num figures">
                  {rule.threshold === null ? "–" : shown(rule.threshold, rule.unit, measure.unit)}{" "}
                  <span className="font-sans text-sm">{unitShown(rule.unit, measure.unit)}</span>
                </td>
                <td className="min-w-64">
                  {begun === rule.id ? (
                    <Otherwise
                      rule={rule}
                      unit={measure.unit}
                      onAsk={(change) => void ask(rule.id, change)}
                      onLeave={() => setBegun("")}
                    />
                  ) : (
                    <Own
                      rule={rule}
                      unit={measure.unit}
                      may={may_change}
                      onBegin={() => setBegun(rule.id)}
                      onBack={() => void ask(rule.id, { threshold: null, severity: "", reason: "" })}
                    />
                  )}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
    </main>
  );
}

/** Metres of the unit that a rule's lengths or areas are shown in; 1 of any other figure. */
const factor = (of: string, unit: string) => ({ m: UNITS[unit]!.metres, "m²": UNITS[unit]!.metres ** 2 })[of] ?? 1;
const shown = (value: number, of: string, unit: string) => `${Number((value / factor(of, unit)).toPrecision(4))}`;
const unitShown = (of: string, unit: string) => of.replace(/^m(?=²?$)/, UNITS[unit]!.short);

interface OwnProps {
  rule: RuleLine;
  unit: string;
  may: boolean;
  onBegin: () => void;
  onBack: () => void;
}

function Own({ rule: { own, unit: of }, unit, may, onBegin, onBack }: OwnProps) {
  const begin = may && (
    <button className="cursor-pointer underline" onClick={onBegin}>
      {own ? "change" : "ask otherwise"}
    </button>
  );
  if (!own) return begin || <span className="text-quiet">as usual</span>;
  const what = [
    own.threshold !== null && `${shown(own.threshold, of, unit)} ${unitShown(of, unit)}`,
    SEVERITIES.find((s) => s.id && s.id === own.severity)?.name,
  ];
  return (
    <>
      <p>
        <strong>{what.filter(Boolean).join(", ")}</strong>: {own.reason}
      </p>
      <p className="text-quiet">
        since {own.since}
        {own.by && `, ${own.by}`} {begin}{" "}
        {may && (
          <button className="cursor-pointer underline" onClick={onBack}>
            as usual again
          </button>
        )}
      </p>
    </>
  );
}

interface OtherwiseProps {
  rule: RuleLine;
  unit: string;
  onAsk: (change: { threshold: number | null; severity: string; reason: string }) => void;
  onLeave: () => void;
}

function Otherwise({ rule, unit, onAsk, onLeave }: OtherwiseProps) {
  const scale = factor(rule.unit, unit);
  const usual = rule.threshold;
  const { register, handleSubmit, control } = useForm<{ threshold: number | null; severity: string; reason: string }>({
    defaultValues: {
      threshold: rule.own?.threshold ?? null,
      severity: rule.own?.severity ?? "",
      reason: "",
    },
  });
  return (
    <form className="grid gap-1" onSubmit={(event) => void handleSubmit(onAsk)(event)}>
      <span className="flex items-center gap-2">
        {usual !== null && (
          <Controller
            control={control}
            name="threshold"
            render={({ field: { value, onChange } }) => (
              <CommitField
                label={`Threshold of: ${rule.asks}`}
                width="w-20"
                placeholder={shown(usual, rule.unit, unit)}
                text={value === null ? "" : shown(value, rule.unit, unit)}
                read={(text) => {
                  const figure = Number(text.replace(",", "."));
                  if (text.trim() && !Number.isFinite(figure)) return null;
                  return () => onChange(text.trim() ? figure * scale : null);
                }}
              />
            )}
          />
        )}
        {usual !== null && <span className="text-sm">{unitShown(rule.unit, unit)}</span>}
        <Controller
          control={control}
          name="severity"
          render={({ field: { value, onChange } }) => (
            <Select label={`Severity of: ${rule.asks}`} value={value} options={SEVERITIES} onChange={onChange} />
          )}
        />
      </span>
      <input
        className="input"
        {...register("reason")}
        aria-label="Why"
        placeholder="why"
        required
        minLength={3}
        maxLength={300}
      />
      <span>
        <button className="button">ask it so</button>{" "}
        <button type="button" className="cursor-pointer underline" onClick={onLeave}>
          discard
        </button>
      </span>
    </form>
  );
}
