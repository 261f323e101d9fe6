import type { Result } from "../../api/client";
import { usePlan, useProgress } from "../../app/plan";
import { usePins } from "../../app/workbench/pins";
import { useSelection } from "../../app/workbench/selection";
import { ChanceCurve } from "../../plots/ChanceCurve";
import {
  chance as chanceWords,
  fine,
  fineUnit,
  grid,
  mm,
  ofHeap,
  percent,
  surface,
  surfaceUnit,
  volume,
  volumeUnit,
  unbroken,
} from "../../lib/units";
import { Histogram } from "../../plots/Histogram";
import { NumberField } from "../../ui/fields";
import { fieldEdits } from "../../lib/edits";
import { Fine } from "../../ui/Fine";
import { Heading } from "../../ui/Heading";
import { ActionsHead } from "../../ui/Remove";
import { Advice } from "./Advice";
import { Compare } from "./Compare";
import { TargetsLost } from "./TargetsLost";

/** Metres of a source that is told although another is all of the error: beside a base taken here, what the checks see. */
const BESIDE_ALL = 0.0005;

const FILES = [
  ["points.csv", "point list, CSV"],
  ["control.geojson", "GeoJSON"],
  ["control.kml", "KML"],
  ["plan.json", "Kardo plan"],
] as const;

export function VerdictTray() {
  const { jobId, plan, result, catalogue } = usePlan();
  const standard = catalogue.standards.find((s) => s.id === plan.brief.standard)!;
  return (
    <>
      <Heading title="Verdict">
        {result && (
          <span className="text-quiet">
            {standard.name}: {standard.clause}
          </span>
        )}
        <span className="ml-auto flex flex-wrap gap-2">
          {FILES.map(([name, words]) => (
            <a key={name} className="button text-sm" href={`/api/jobs/${jobId}/export/${name}`} download={name}>
              {words}
            </a>
          ))}
        </span>
      </Heading>
      {result ? <Promised result={result} /> : <NotYet />}
      <Assumptions />
    </>
  );
}

/** Why there are no figures of this plan: it is not determined, lacks something, or is being computed. */
function NotYet() {
  const { undetermined, told } = usePlan();
  const { prediction } = useProgress();
  return (
    <>
      {(told?.defects ?? undetermined?.defects)?.map((d) => (
        <p key={d.words} className="mt-1">
          <strong>{d.words}</strong> {d.mend}
        </p>
      ))}
      {!undetermined && (
        <p className="text-quiet">
          {prediction?.state === "lacking" ? "The plan still lacks what is listed beside the gauges." : "Computing…"}
        </p>
      )}
    </>
  );
}

/** All that is promised of the plan. */
function Promised({ result }: { result: Result }) {
  const { plan, told, catalogue } = usePlan();
  const { setGoTo } = useSelection();
  const { pins, setPinning } = usePins();
  const isPinned = pins.some((p) => p.result.hash === result.hash);
  const unit = plan.brief.unit;
  const standard = catalogue.standards.find((s) => s.id === plan.brief.standard)!;
  const worst = [
    ["H", result.map.worst_h],
    ["V", result.map.worst_v],
  ] as const;
  return (
    <>
      <div className="grid grid-cols-[repeat(auto-fit,minmax(250px,1fr))] gap-x-8 gap-y-4">
        <section>
          <table className="table">
            <thead>
              <tr>
                <th>predicted, {fineUnit(unit)}</th>
                <th className="num">H</th>
                <th className="num">V</th>
              </tr>
            </thead>
            <tbody>
              <Row name="allowed RMSE" h={result.limit_h} v={result.limit_v} unit={unit} />
              <Row name="on the map, absolute" h={result.rmse_h} v={result.rmse_v} unit={unit} strong />
              <Row name="at the check points, as tested" h={result.seen_rmse_h} v={result.seen_rmse_v} unit={unit} />
              <Row name="one sigma at 19 of 20 places, at most" h={worst[0][1]?.p95} v={worst[1][1]?.p95} unit={unit} />
              <Row name="one sigma at the worst place" h={worst[0][1]?.sigma} v={worst[1][1]?.sigma} unit={unit} />
            </tbody>
          </table>
          <p className="mt-1 text-sm" data-testid="judged">
            {told?.judged}
          </p>
          {told?.state && (
            <p className="mt-1 border-l-4 border-decision bg-decision-wash px-2 py-1 text-sm" data-testid="state">
              {told.state}
            </p>
          )}
          <p className="mt-1 flex flex-wrap gap-2 text-sm">
            {worst.map(
              ([axis, place]) =>
                place && (
                  <button key={axis} className="button" onClick={() => setGoTo(place)}>
                    worst {axis}:{" "}
                    <span className="figures">
                      {grid(place.e, unit, 0)} E {grid(place.n, unit, 0)} N
                    </span>
                  </button>
                ),
            )}
            <button
              className="button"
              aria-pressed={isPinned}
              onClick={() => setPinning(true)}
              title="Keep these figures to compare with others"
            >
              {isPinned ? "unpin (P)" : "pin (P)"}
            </button>
          </p>
          {result.map.uncovered > 0 && (
            <p className="mt-1 text-decision-text">
              {result.map.uncovered} of {result.map.v.length} map points are seen by fewer than two images and are not
              in these figures.
            </p>
          )}
          {result.left_out.length > 0 && (
            <p className="mt-1">{result.left_out.length} exposures have fewer than six tie rays and are left out.</p>
          )}
        </section>
        <section data-testid="budget">
          <h3 className="font-bold">Error budget</h3>
          <table className="table">
            <thead>
              <tr>
                <th>source</th>
                <th className="num">H, {fineUnit(unit)}</th>
                <th className="num">of H</th>
                <th className="num">V, {fineUnit(unit)}</th>
                <th className="num">of V</th>
              </tr>
            </thead>
            <tbody>
              {result.budget
                .map((s, k) => ({ ...s, name: told?.budget[k] ?? s.kind }))
                .filter((s) => Math.max(s.share_h, s.share_v) > 0.0005 || Math.max(s.sigma_h, s.sigma_v) > BESIDE_ALL)
                .map((s) => (
                  <tr key={s.kind + s.id}>
                    <td>{s.name}</td>
                    <td className="num">
                      <Fine value={s.sigma_h} unit={unit} />
                    </td>
                    <td className="num">{percent(s.share_h)}</td>
                    <td className="num">
                      <Fine value={s.sigma_v} unit={unit} />
                    </td>
                    <td className="num">{percent(s.share_v)}</td>
                  </tr>
                ))}
            </tbody>
          </table>
        </section>
        <section className="max-w-md">
          <h3 className="font-bold">What the check points are blind to</h3>
          {told?.blind.map((words) => (
            <p key={words}>{unbroken(words)}</p>
          ))}
          <p className="mt-2 text-sm">
            <span className="text-quiet">What {standard.name} does not say:</span> {standard.silent}
          </p>
          <p className="mt-2 text-sm text-quiet">
            A prediction rests on its assumptions; it certifies nothing. Coordinates are the licensed surveyor's to
            certify.
          </p>
        </section>
      </div>
      <Advice />
      {result.chance_detail && <TheTest />}
      <Volumes />
      <Compare />
      <TargetsLost />
    </>
  );
}

function Row({
  name,
  h,
  v,
  unit,
  strong,
}: {
  name: string;
  h?: number | null;
  v?: number | null;
  unit: string;
  strong?: boolean;
}) {
  return (
    <tr className={strong ? "font-bold" : ""}>
      <td>{name}</td>
      <td className="num">
        <Fine value={h} unit={unit} />
      </td>
      <td className="num">
        <Fine value={v} unit={unit} />
      </td>
    </tr>
  );
}

/** The acceptance test as the simulation sees it, and what more checks would make of it. */
function TheTest() {
  const { plan, result, told, catalogue } = usePlan();
  const { unit } = plan.brief;
  const chance = result!.chance_detail!;
  const standard = catalogue.standards.find((s) => s.id === plan.brief.standard)!;
  const [limitH, limitV] = result!.tolerances;
  return (
    <section className="mt-4">
      <h3 className="font-bold">
        Chance to pass: {chanceWords(chance.passing)} (± {percent(chance.uncertainty, 2)} from the draw)
      </h3>
      <div className="grid grid-cols-[repeat(auto-fit,minmax(250px,1fr))] gap-x-8">
        <Histogram
          name={`${standard.statistic_h}, ${fineUnit(unit)}`}
          {...chance.histogram_h}
          limit={limitH}
          unit={unit}
        />
        <Histogram
          name={`${standard.statistic_v}, ${fineUnit(unit)}`}
          {...chance.histogram_v}
          limit={limitV}
          unit={unit}
        />
        <ChanceCurve
          curve={result!.chance_curve}
          asked={standard.least_checks}
          planned={plan.control.filter((p) => p.role === "check").length}
          name={standard.name}
        />
      </div>
      <p className="text-sm text-quiet">
        20 000 simulated tests; 90 % of them find V between {fine(chance.spread_v[0], unit)} and{" "}
        {fine(chance.spread_v[2], unit)} {fineUnit(unit)}.
      </p>
      {told?.unmet.map((words) => (
        <p key={words} className="text-sm text-decision-text">
          {words}
        </p>
      ))}
    </section>
  );
}

/** How well the volume of the site and of each area will be known. */
function Volumes() {
  const { plan, result } = usePlan();
  const { unit } = plan.brief;
  const names = new Map(plan.site.areas.map((a) => [a.id, a.name]));
  const volumes = result?.volumes ?? [];
  if (!plan.site.areas.length && plan.brief.standard !== "volume" && plan.brief.deliverable !== "volume") return null;
  return (
    <section className="mt-4" data-testid="volumes">
      <h3 className="font-bold">Volumes</h3>
      <table className="table w-auto whitespace-nowrap">
        <thead>
          <tr>
            <th>area</th>
            <th className="num">{surfaceUnit(unit)}</th>
            <th className="num">mean height ±, {fineUnit(unit)} at 95 %</th>
            <th className="num">volume ±, {volumeUnit(unit)} at 95 %</th>
            <th className="num">of what lies there, %</th>
          </tr>
        </thead>
        <tbody>
          {volumes.map((v) => (
            <tr key={v.id}>
              <td>{v.id ? (names.get(v.id) ?? v.id) : "the whole site"}</td>
              <td className="num">{surface(v.area, unit)}</td>
              <td className="num">
                <Fine value={v.sigma_95} unit={unit} />
              </td>
              <td className="num">{volume(v.volume_95, unit, 0)}</td>
              <td className="num">{ofHeap(v.percent_95)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-sm text-quiet">
        One surface only. The difference of two surveys has both errors, less what both share; what all heights share
        does not average out.
      </p>
    </section>
  );
}

/** Every assumed figure with its source; any can be argued with. */
function Assumptions() {
  const { plan, catalogue, edit } = usePlan();
  const changed = plan.assumptions.overrides;
  return (
    <details className="mt-4">
      <summary className="cursor-pointer font-bold">
        Assumptions{Object.keys(changed).length ? `, ${Object.keys(changed).length} changed` : ""}
      </summary>
      <table className="table">
        <thead>
          <tr>
            <th>what</th>
            <th className="num">value</th>
            <th>unit</th>
            <th>where it comes from</th>
            <ActionsHead />
          </tr>
        </thead>
        <tbody>
          {catalogue.assumptions.map((a) => {
            const own = changed[a.id];
            const path = "assumptions/overrides";
            const millimetres = a.unit === "m";
            return (
              <tr key={a.id}>
                <td>{a.what}</td>
                <td className="num">
                  <NumberField
                    label={a.what}
                    value={own ?? a.value}
                    scale={millimetres ? 1000 : 1}
                    decimals={millimetres ? 1 : 3}
                    width="w-20"
                    onCommit={(v) => void edit(fieldEdits(plan, path, { [a.id]: v }))}
                  />
                </td>
                <td>{millimetres ? "mm" : a.unit}</td>
                <td className="text-sm text-quiet">{a.source}</td>
                <td>
                  {own !== undefined && (
                    <button
                      className="cursor-pointer underline"
                      onClick={() => void edit(fieldEdits(plan, path, { [a.id]: null }))}
                    >
                      back to {millimetres ? mm(a.value) : a.value}
                    </button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </details>
  );
}
