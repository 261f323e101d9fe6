import type { Figures, Finding, Result } from "../api/client";
import { chance, mm, percent } from "../lib/units";
import { Staves } from "../plots/Staves";
import { UNDER_WAY, UnderWay } from "../ui/UnderWay";
import { usePlan } from "./plan";
import { useWorkbench, type Station } from "./workbench";

/** The instrument on the right: two rods, the chance, the budget, and what was found. */
export function Staff() {
  const { summary, prediction, result, before, trial, run } = usePlan();
  const { pins } = useWorkbench();
  const limits = summary?.limits ?? { h: 0, v: 0 };
  const full = result && !result.defects.length ? result : null;
  const sound = trial.live ?? full;
  const previous = trial.live ? full : before && !before.defects.length ? before : null;
  const pinned = pins.at(-1)?.result;
  const rod = (axis: "h" | "v") => ({
    name: axis.toUpperCase(),
    limit: limits[axis] || null,
    predicted: sound?.[`rmse_${axis}`] ?? null,
    seen: sound?.[`seen_rmse_${axis}`] ?? null,
    ghost: previous?.[`rmse_${axis}`] ?? null,
    pinned: pinned?.[`rmse_${axis}`] ?? null,
  });
  return (
    <aside className="flex flex-col gap-2 overflow-y-auto border-l border-ink bg-sheet px-3 py-2" aria-label="Staff">
      <Staves rods={[rod("h"), rod("v")]} />
      <p className="flex justify-between text-sm">
        <span>◀ on the map, absolute</span>
        <span className="text-settled">▷ what checks see</span>
      </p>
      <Progress />
      {trial.live && <Provisional />}
      {sound && <Seen result={sound} />}
      {result && !trial.live && result.defects.length > 0 && <Defects result={result} />}
      {prediction?.state === "lacking" && <Lacks />}
      {prediction?.error && (
        <p role="alert" className="border-l-4 border-decision bg-decision-wash px-2 py-1">
          <strong>{prediction.error.what}</strong> {prediction.error.mend}{" "}
          {prediction.error.where === "worker" && (
            <button className="button text-sm" onClick={() => void run("start")}>
              start again
            </button>
          )}
        </p>
      )}
      {sound && (
        <>
          <Chance result={sound} />
          {full && full.unmet!.length > 0 && (
            <p className="text-sm text-decision-text">
              As the standard has it the test does not count yet: {full.unmet!.join(" ")}
            </p>
          )}
          {full && <Budget result={full} />}
        </>
      )}
      <Findings />
    </aside>
  );
}

function Progress() {
  const { prediction, run } = usePlan();
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

function Seen({ result }: { result: Partial<Figures> }) {
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th className="!static">RMSE, mm</th>
          <th className="num !static">H</th>
          <th className="num !static">V</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <td>on the map, absolute</td>
          <td className="num font-bold" data-testid="absolute-h">
            {mm(result.rmse_h)}
          </td>
          <td className="num font-bold" data-testid="absolute-v">
            {mm(result.rmse_v)}
          </td>
        </tr>
        <tr>
          <td>as checks see it</td>
          <td className="num" data-testid="seen-h">
            {mm(result.seen_rmse_h)}
          </td>
          <td className="num" data-testid="seen-v">
            {mm(result.seen_rmse_v)}
          </td>
        </tr>
      </tbody>
    </table>
  );
}

function Defects({ result }: { result: Result }) {
  return (
    <div role="alert" className="border-l-4 border-decision bg-decision-wash px-2 py-1">
      <p className="font-bold">The network is not determined, so there are no figures.</p>
      {result.defects.map((d) => (
        <p key={d.words} className="mt-1">
          {d.words} <em>{d.mend}</em>
        </p>
      ))}
    </div>
  );
}

function Lacks() {
  const { summary } = usePlan();
  const { open } = useWorkbench();
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

function Chance({ result }: { result: Partial<Figures> }) {
  const { plan } = usePlan();
  const checks = plan.control.filter((p) => p.role === "check").length;
  if (result.chance === null || result.chance === undefined || !result.chance_detail)
    return <p className="border-t border-hairline pt-2">No checks: no acceptance test, and no chance to state.</p>;
  return (
    <p className="flex items-center gap-2 border-t border-hairline pt-2">
      <span className="figures text-2xl font-bold whitespace-nowrap" data-testid="chance">
        {chance(result.chance)}
      </span>
      <span className="text-sm text-quiet">
        chance that {checks} checks pass {mm(plan.brief.tolerance_h, 0)} H and{" "}
        {plan.brief.standard === "contour"
          ? `contours of ${mm(plan.brief.contour_interval, 0)} mm`
          : `${mm(plan.brief.tolerance_v, 0)} V mm`}
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
  const shares = [...(result.budget ?? [])].sort((a, b) => b.share_v - a.share_v).filter((s) => s.share_v > 0.004);
  const largest = shares[0];
  if (!largest) return null;
  return (
    <div>
      <div
        className="flex h-3.5 border border-ink"
        role="img"
        aria-label={shares.map((s) => `${s.group} ${percent(s.share_v)}`).join(", ")}
      >
        {shares.map((s, k) => (
          <span
            key={s.group}
            title={`${s.group}: ${percent(s.share_v)} of V`}
            style={{ width: `${s.share_v * 100}%`, background: BUDGET_COLOURS[Math.min(k, 5)] }}
          />
        ))}
      </div>
      <p className="mt-1 text-sm">
        Height:{" "}
        <strong>
          {percent(largest.share_v)} is {largest.group}
        </strong>{" "}
        (±{mm(largest.sigma_v, 0)} mm).
      </p>
      <p className="mt-1 text-sm">{result.blind?.[0]}</p>
    </div>
  );
}

const MARKS = { stop: "◆", warn: "◆", note: "◇" } as const;

function Findings() {
  const { prediction, edit } = usePlan();
  const { open, select, setGoTo } = useWorkbench();
  const found = prediction?.findings ?? [];
  const go = (f: Finding) => {
    open(f.station as Station);
    if (f.object) select(f.object);
    const place = f.change?.value as { e?: number; n?: number } | undefined;
    if (place?.e && place.n) setGoTo({ e: place.e, n: place.n });
  };
  return (
    <section aria-label="Findings" className="border-t border-hairline pt-1">
      {prediction?.findings && found.length === 0 && <p className="text-quiet">Nothing found against this plan.</p>}
      {found.map((f, k) => (
        <div key={k} className="flex items-start gap-2 border-b border-hairline py-1.5 text-sm">
          <span className={f.severity === "note" ? "text-quiet" : "text-decision"} title={f.severity}>
            {MARKS[f.severity]}
            <span className="sr-only">{f.severity}</span>
          </span>
          <span className="flex-1">
            {f.severity === "stop" ? <strong>{f.words}</strong> : f.words} <span className="text-quiet">{f.mend}</span>
          </span>
          {f.label && f.change?.object ? (
            <button
              className="button"
              onClick={() => void edit([{ object: f.change.object!, value: f.change.value ?? null }])}
            >
              {f.label}
            </button>
          ) : (
            <button className="button" onClick={() => go(f)}>
              go there
            </button>
          )}
        </div>
      ))}
    </section>
  );
}
