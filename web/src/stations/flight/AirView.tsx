import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, type AirTime, type Flight, type LineProfile, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits } from "../../lib/edits";
import { length, speedUnit } from "../../lib/units";
import { BatteryPlot } from "../../plots/BatteryPlot";
import { LineProfile as ProfilePlot } from "../../plots/LineProfile";
import { NumberField, Select, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Tabs } from "../../ui/Tabs";
import { TakeOffPlaces } from "./TakeOffPlaces";

const MEASURED = [
  { id: "", name: "at flying height" },
  { id: "10", name: "at 10 m, as forecast" },
  { id: "2", name: "at 2 m, in the hand" },
];

/** The time in the air: in a wind, line by line, with the battery at the end of each; what the pilot sees; how short sorties are made longer. */
export function AirView() {
  const { jobId, plan, answer } = usePlan();
  const [chosen, choose] = useState<string | null>(null);
  const flight = plan.flights.find((f) => f.id === chosen) ?? plan.flights[0];
  const { data, error } = useQuery<AirTime, Problem>({
    queryKey: ["air", jobId, answer.revision, flight?.id],
    queryFn: () => call("GET", `/jobs/${jobId}/flight/air?flight=${flight!.id}`),
    enabled: !!flight,
    staleTime: Infinity,
    placeholderData: (previous) => previous,
  });
  if (!flight) return <p className="text-quiet">No flight yet.</p>;
  return (
    <section data-testid="air-time">
      <div className="flex flex-wrap items-center gap-x-3">
        {plan.flights.length > 1 && <Tabs label="Flight" tabs={plan.flights} chosen={flight.id} onChoose={choose} />}
        <WindFields flight={flight} />
      </div>
      <TakeOffPlaces key={flight.id} flight={flight} air={data?.flight === flight.id ? data : undefined} />
      {error ? <ProblemNote problem={error} /> : data ? <AirFigures air={data} flight={flight} /> : <p>Computing…</p>}
    </section>
  );
}

/** The wind that the flight is planned in, kept with it: batteries, sorties and the day follow. */
function WindFields({ flight }: { flight: Flight }) {
  const { plan, edit } = usePlan();
  const speeds = speedUnit(plan.brief.unit);
  const set = (values: Partial<Flight>) => void edit(fieldEdits(plan, `flights/${flight.id}`, values));
  const at = flight.wind_at_m ?? null;
  const measured =
    at === null || MEASURED.some((way) => way.id === `${at}`)
      ? MEASURED
      : [...MEASURED, { id: `${at}`, name: `at ${at} m` }];
  return (
    <>
      <label className="flex items-center gap-1 text-sm">
        wind, {speeds.name}
        <NumberField
          label={`Wind, ${speeds.name}`}
          value={flight.wind_m_per_s ?? 0}
          scale={speeds.scale}
          width="w-14"
          onCommit={(wind_m_per_s) => set({ wind_m_per_s })}
        />
      </label>
      <Select
        label="Wind measured at"
        value={at === null ? "" : `${at}`}
        options={measured}
        onChange={(id) => set({ wind_at_m: id ? Number(id) : null })}
      />
      <label className="flex items-center gap-1 text-sm">
        from, ° (grid)
        <NumberField
          label="Wind from, ° (grid)"
          value={flight.wind_from_deg ?? 270}
          decimals={0}
          width="w-14"
          onCommit={(from) => set({ wind_from_deg: ((from % 360) + 360) % 360 })}
        />
      </label>
    </>
  );
}

function AirFigures({ air, flight }: { air: AirTime; flight: Flight }) {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const speeds = speedUnit(unit);
  return (
    <>
      <p className="mt-1">
        {air.told}{" "}
        {air.across_edits.length > 0 && (
          <button className="button px-1 py-0 text-sm" onClick={() => void edit(air.across_edits)}>
            lay them across
          </button>
        )}
      </p>
      <div className="flex flex-wrap items-start gap-x-6">
        <BatteryPlot air={air} reserve={flight.reserve_percent} />
        <dl className="grid grid-cols-[auto_auto] gap-x-4 text-sm">
          <dt>over the ground</dt>
          <dd className="figures text-right">
            {(air.slowest * speeds.scale).toFixed(1)} to {(air.fastest * speeds.scale).toFixed(1)} {speeds.name}
          </dd>
          {air.across !== null && (
            <>
              <dt>lines across the wind, in all</dt>
              <dd className="figures text-right">{air.across.toFixed(0)} min</dd>
            </>
          )}
          {flight.sensor.kind === "scan" ? (
            <>
              <dt>returns, about</dt>
              <dd className="figures text-right">{air.scan_gb.toFixed(1)} GB</dd>
              <dt>each sortie, before and after its lines</dt>
              <dd className="figures text-right">
                {air.before.toFixed(1)} and {air.after.toFixed(1)} min
              </dd>
            </>
          ) : (
            <>
              <dt>overlap by time, wind behind</dt>
              <dd className={`figures text-right ${air.enough ? "" : "text-decision-text"}`}>
                {air.overlap.toFixed(0)} %
              </dd>
              <dt>images</dt>
              <dd className="figures text-right">{air.images}</dd>
              <dt>JPEG or raw, about</dt>
              <dd className="figures text-right">
                {air.jpeg_gb.toFixed(1)} or {air.raw_gb.toFixed(0)} GB
              </dd>
            </>
          )}
          <dt>cards of 64 GB</dt>
          <dd className="figures text-right">{air.cards}</dd>
          <dt>farthest from the pilot</dt>
          <dd className="figures text-right">
            {length(Math.max(...air.lines.map((line) => line.farthest)), unit, 0)} {unitName(unit)}
          </dd>
        </dl>
      </div>
      {air.longer.length > 0 && <Longer air={air} />}
      <details className="my-1 text-sm">
        <summary className="cursor-pointer font-bold">Before take-off</summary>
        <ul className="list-disc pl-5">
          {air.cautions.map((words) => (
            <li key={words}>{words}</li>
          ))}
        </ul>
      </details>
      <FromTheSide key={flight.id} air={air} />
      <Lines air={air} images={flight.sensor.kind === "scan" ? "places" : "images"} />
    </>
  );
}

/** Ways to a sortie long enough to be post-processed, each with what it costs. */
function Longer({ air }: { air: AirTime }) {
  const { edit } = usePlan();
  return (
    <>
      <h3 className="mt-1 font-bold">
        The shortest sortie is {air.shortest.toFixed(1)} min: post-processing wants {air.least}
      </h3>
      <ul className="text-sm">
        {air.longer.map((way) => (
          <li key={way.words} className="flex items-baseline gap-2">
            <span>
              {way.words}: <span className="figures">{way.minutes.toFixed(0)} min</span> in all
              {way.images > 0 && (
                <>
                  , <span className="figures">{way.images}</span> images
                </>
              )}
            </span>
            {way.edits.length > 0 && (
              <button className="button px-1 py-0 text-sm" onClick={() => void edit(way.edits)}>
                use
              </button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

/** A line, or the way out to a sortie or home from it, from the side. */
function FromTheSide({ air }: { air: AirTime }) {
  const { jobId, plan, answer } = usePlan();
  const [chosen, choose] = useState("line=1");
  const options = [
    ...air.lines.map(({ number }) => ({ id: `line=${number}`, name: `line ${number}` })),
    ...air.sorties.flatMap(({ number }) => [
      { id: `sortie=${number}`, name: `out to sortie ${number}` },
      { id: `sortie=${number}&home=true`, name: `home from sortie ${number}` },
    ]),
  ];
  const shown = options.some((one) => one.id === chosen) ? chosen : "line=1";
  const { data, error } = useQuery<LineProfile, Problem>({
    queryKey: ["side", jobId, answer.revision, air.flight, shown],
    queryFn: () => call("GET", `/jobs/${jobId}/flight/profile?flight=${air.flight}&${shown}`),
    staleTime: Infinity,
    placeholderData: (previous) => previous,
  });
  return (
    <section className="my-1" data-testid="from-the-side">
      <label className="flex flex-wrap items-center gap-2 text-sm">
        from the side
        <Select label="From the side" value={shown} options={options} onChange={choose} />
        <span className="text-quiet">{data?.words}</span>
      </label>
      {error ? <ProblemNote problem={error} /> : data && <ProfilePlot side={data} unit={plan.brief.unit} />}
    </section>
  );
}

function Lines({ air, images }: { air: AirTime; images: string }) {
  const { unit } = usePlan().plan.brief;
  const speeds = speedUnit(unit);
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th className="num">line</th>
          <th className="num">sortie</th>
          <th className="num">course, °</th>
          <th className="num">long, {unitName(unit)}</th>
          <th className="num">{speeds.name}</th>
          <th className="num">min</th>
          <th className="num">turn or transit, min</th>
          <th className="num">battery at its end, %</th>
          <th>from the pilot</th>
        </tr>
      </thead>
      <tbody>
        {air.lines.map((line, k) => {
          const resumed = k > 0 && air.lines[k - 1]!.sortie !== line.sortie;
          return (
            <tr key={line.number} className={resumed ? "border-t-2 border-ink" : ""}>
              <td className="num figures">{line.number}</td>
              <td className="num figures">{line.sortie}</td>
              <td className="num figures">{line.course.toFixed(1)}</td>
              <td className="num figures">{length(line.length, unit, 0)}</td>
              <td className="num figures">{(line.speed * speeds.scale).toFixed(1)}</td>
              <td className="num figures">{line.minutes.toFixed(1)}</td>
              <td className="num figures">{line.turn_minutes.toFixed(1)}</td>
              <td className="num figures">{line.battery.toFixed(0)}</td>
              <td className={line.unseen ? "text-decision-text" : "text-quiet"}>
                {length(line.farthest, unit, 0)} {unitName(unit)}
                {line.unseen > 0 && `; out of sight for ${line.unseen} ${images}`}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
