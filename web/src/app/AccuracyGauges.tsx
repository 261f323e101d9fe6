import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { call, type Book, type Figures, type Result, type Undetermined } from "../api/client";
import { chance, fine, fineUnit, percent, unbroken } from "../lib/units";
import { Gauges, UNMARKED } from "../plots/Gauges";
import { useClose } from "../stations/close/useClose";
import { Term } from "../ui/Glossary";
import { Fine } from "../ui/Fine";
import { UNDER_WAY, UnderWay } from "../ui/UnderWay";
import { Findings } from "./Findings";
import { usePlan, useProgress } from "./plan";
import { InOtherState, WhichState } from "./States";
import { type Station, useNavigation } from "./workbench/navigation";
import { usePins } from "./workbench/pins";

const CloseGauges = lazy(() => import("../stations/close/CloseGauges").then((m) => ({ default: m.CloseGauges })));

/** The instrument on the right: two rods, the chance, the budget, and what was found. */
export function AccuracyGauges() {
  const { jobId, plan, summary, result, undetermined, before, told, trial } = usePlan();
  const { pins } = usePins();
  const { station } = useNavigation();
  const limits = summary?.limits ?? { h: 0, v: 0 };
  const sound = trial.live ?? result;
  const previous = trial.live ? (result ?? before) : before;
  const pinned = pins.at(-1)?.result;
  const done = useQuery({
    queryKey: ["book", jobId],
    queryFn: () => call<Book>("GET", `/jobs/${jobId}/book`),
    enabled: plan.visits.length > 0, // before a visit is planned nobody has written anything
  }).data?.done;
  const closed = useClose(station === "close");
  if (station === "close" && closed?.against)
    return (
      <Suspense fallback={null}>
        <CloseGauges close={closed} limits={limits} />
      </Suspense>
    );
  const rod = (axis: "h" | "v") => ({
    ...UNMARKED,
    name: axis.toUpperCase(),
    limit: limits[axis] || null,
    predicted: sound?.[`rmse_${axis}`] ?? null,
    seen: sound?.[`seen_rmse_${axis}`] ?? null,
    ghost: previous?.[`rmse_${axis}`] ?? null,
    pinned: pinned?.[`rmse_${axis}`] ?? null,
    done: done?.[`rmse_${axis}`] ?? null,
  });
  return (
    <aside
      className="flex flex-col gap-2 overflow-y-auto border-l border-ink bg-sheet px-3 py-2"
      aria-label="Accuracy gauges"
    >
      <Gauges rods={[rod("h"), rod("v")]} unit={plan.brief.unit} />
      <p className="flex justify-between text-sm">
        <span>
          ◀ <Term of="on the map, absolute">on the map, absolute</Term>
        </span>
        <span className="text-settled">
          ▷ <Term of="at the check points, as tested">at the check points</Term>
        </span>
      </p>
      <Progress />
      {trial.live && <Provisional />}
      {result?.other && <WhichState />}
      {sound && (
        <Seen
          result={sound}
          other={(!trial.live && result?.other) || null}
          done={done ?? null}
          unit={plan.brief.unit}
        />
      )}
      {undetermined && !trial.live && <Defects of={told?.defects ?? undetermined.defects} />}
      <Lacks />
      <Failed />
      {sound && (
        <>
          <Chance result={sound} />
          {result && told && told.unmet.length > 0 && (
            <p className="text-sm text-decision-text">
              As the standard has it the test does not count yet: {told.unmet.join(" ")}
            </p>
          )}
          {result && <Budget result={result} />}
        </>
      )}
      <Findings />
    </aside>
  );
}

function Failed() {
  const { prediction, run } = useProgress();
  if (!prediction?.error) return null;
  return (
    <p role="alert" className="border-l-4 border-decision bg-decision-wash px-2 py-1">
      <strong>{prediction.error.what}</strong> {prediction.error.mend}{" "}
      {prediction.error.where === "worker" && (
        <button className="button text-sm" onClick={() => void run("start")}>
          start again
        </button>
      )}
    </p>
  );
}

function Progress() {
  const { prediction, run } = useProgress();
  if (prediction?.state === "stopped")
    return (
      <p className="flex items-center justify-between text-sm">
        <span>The computation was stopped; these figures are older than the plan.</span>
        <button className="button" onClick={() => void run("start")}>
          compute
        </button>
      </p>
    );
  if (!prediction || !UNDER_WAY.includes(prediction.state)) return <div className="h-1" />;
  return <UnderWay work={prediction} onStop={() => void run("stop")} />;
}

function Provisional() {
  return (
    <p className="-my-1 text-sm text-decision-text" data-testid="provisional">
      Provisional, within 3 %; the full computation replaces it.
    </p>
  );
}

interface SeenProps {
  result: Figures;
  other: Result["other"];
  done: Book["done"];
  unit: string;
}

function Seen({ result, other, done, unit }: SeenProps) {
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th className="!static">RMSE, {fineUnit(unit)}</th>
          <th className="num !static">H</th>
          <th className="num !static">V</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <td>on the map, absolute</td>
          <td className="num font-bold" data-testid="absolute-h">
            <Fine value={result.rmse_h} unit={unit} />
          </td>
          <td className="num font-bold" data-testid="absolute-v">
            <Fine value={result.rmse_v} unit={unit} />
          </td>
        </tr>
        <tr>
          <td>at the check points, as tested</td>
          <td className="num" data-testid="seen-h">
            <Fine value={result.seen_rmse_h} unit={unit} />
          </td>
          <td className="num" data-testid="seen-v">
            <Fine value={result.seen_rmse_v} unit={unit} />
          </td>
        </tr>
        {other && <InOtherState of={other} unit={unit} />}
        {done && (
          <tr>
            <td>◮ as done, absolute</td>
            <td className="num" data-testid="done-h">
              <Fine value={done.rmse_h} unit={unit} />
            </td>
            <td className="num" data-testid="done-v">
              <Fine value={done.rmse_v} unit={unit} />
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

function Defects({ of }: { of: Undetermined["defects"] }) {
  return (
    <div role="alert" className="border-l-4 border-decision bg-decision-wash px-2 py-1">
      <p className="font-bold">The network is not determined, so there are no figures.</p>
      {of.map((d) => (
        <p key={d.words} className="mt-1">
          {d.words} <em>{d.mend}</em>
        </p>
      ))}
    </div>
  );
}

function Lacks() {
  const { summary } = usePlan();
  const { prediction } = useProgress();
  const { open } = useNavigation();
  if (prediction?.state !== "lacking") return null;
  return (
    <div>
      <p className="font-bold">Nothing can be predicted yet.</p>
      {summary?.lacks.map((lack) => (
        <p key={lack.words} className="mt-1 flex items-start justify-between gap-2">
          <span>{lack.words}</span>
          <button className="button text-sm" onClick={() => open(lack.station as Station)}>
            go there
          </button>
        </p>
      ))}
    </div>
  );
}

function Chance({ result }: { result: Figures }) {
  const { plan, summary } = usePlan();
  const { brief } = plan;
  const allowed = (metres: number) => fine(metres, brief.unit, 0);
  const checks = plan.control.filter((p) => p.role === "check").length;
  if (result.chance === null)
    return (
      <p className="border-t border-hairline pt-2">No check points: no acceptance test, and no probability to state.</p>
    );
  return (
    <p className="flex items-center gap-2 border-t border-hairline pt-2">
      <span className="figures text-2xl font-bold whitespace-nowrap" data-testid="chance">
        {chance(result.chance)}
      </span>
      <span className="text-sm text-quiet">
        <Term of="probability of passing">probability</Term> that {checks} check points pass{" "}
        {summary && allowed(summary.limits.held_h)} H and{" "}
        {brief.standard === "contour"
          ? `contours of ${allowed(brief.contour_interval)} ${fineUnit(brief.unit)}`
          : `${summary ? allowed(summary.limits.held_v) : ""} V ${fineUnit(brief.unit)}`}
      </span>
    </p>
  );
}

const BUDGET_COLOURS = [
  "var(--ink)",
  "var(--settled)",
  "var(--in-1)",
  "var(--out-1)",
  "var(--hairline)",
  "var(--in-0)",
];

function Budget({ result }: { result: Result }) {
  const { plan, told } = usePlan();
  const { unit } = plan.brief;
  const shares = result.budget
    .map((share, k) => ({ ...share, name: told?.budget[k] ?? share.kind }))
    .sort((a, b) => b.share_v - a.share_v)
    .filter((s) => s.share_v > 0.004);
  const largest = shares[0];
  if (!largest) return null;
  const blind = result.blind[0];
  const blindToLargest = blind?.in_height && blind.kind === largest.kind && blind.id === largest.id; // its sentence tells the share
  return (
    <div>
      <div
        className="flex h-3.5 border border-ink"
        role="img"
        aria-label={shares.map((s) => `${s.name} ${percent(s.share_v)}`).join(", ")}
      >
        {shares.map((s, k) => (
          <span
            key={s.kind + s.id}
            title={`${s.name}: ${percent(s.share_v)} of V`}
            style={{ width: `${s.share_v * 100}%`, background: BUDGET_COLOURS[Math.min(k, 5)] }}
          />
        ))}
      </div>
      {!blindToLargest && (
        <p className="mt-1 text-sm">
          Height:{" "}
          <strong>
            {percent(largest.share_v)} is {largest.name}
          </strong>{" "}
          (±{fine(largest.sigma_v, unit, 0)} {fineUnit(unit)}).
        </p>
      )}
      <p className="mt-1 text-sm">{told?.blind[0] && unbroken(told.blind[0])}</p>
    </div>
  );
}
