import type { Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fineUnit } from "../../lib/units";
import { Fine } from "../../ui/Fine";
import type { CloseViewProps } from "./CloseTray";

const AXES: Record<string, string> = { E: "east", N: "north", H: "plan", V: "height" };

/** The verdict by the standard and its conditions, component by component. */
export function VerdictView({ close }: CloseViewProps) {
  const { plan, catalogue } = usePlan();
  const { unit } = plan.brief;
  const { verdict } = close;
  const standard = catalogue.standards.find((s) => s.id === plan.brief.standard)!;
  if (!verdict)
    return <p>No point has been used as a check yet: import the residuals, and say which points only checked.</p>;
  return (
    <>
      <p className="mt-1 text-lg" data-testid="closed-verdict">
        <strong className={verdict.passed && !verdict.unmet.length ? "text-settled" : "text-decision-text"}>
          {!verdict.passed
            ? "◆ Does not keep its tolerance"
            : verdict.unmet.length
              ? "◐ Within its figures"
              : "● Keeps its tolerance"}
        </strong>{" "}
        by {standard.name}
        {verdict.unmet.length > 0 && ", whose conditions are not all met"}.
      </p>
      <div className="grid grid-cols-[repeat(auto-fit,minmax(min(100%,330px),1fr))] gap-x-8 gap-y-3">
        <section aria-label="Judged">
          <table className="table">
            <thead>
              <tr>
                <th>judged</th>
                <th className="num">measured, {fineUnit(unit)}</th>
                <th className="num">allowed, {fineUnit(unit)}</th>
                <th>
                  <span className="sr-only">kept</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {[verdict.h, verdict.v].map((judged) => (
                <tr key={judged.statistic}>
                  <td>{judged.statistic}</td>
                  <td className="num font-bold">
                    <Fine value={judged.value} unit={unit} />
                  </td>
                  <td className="num">
                    <Fine value={judged.allowed} unit={unit} />
                  </td>
                  <td className={judged.kept ? "text-settled" : "font-bold text-decision-text"}>
                    {judged.kept ? "kept" : "not kept"}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {verdict.unmet.map((line) => (
            <p key={line} className="mt-1 text-sm text-decision-text">
              {line}
            </p>
          ))}
          <p className="mt-1 text-sm text-quiet">{standard.silent}</p>
        </section>
        <section aria-label="At the check points">
          <Components of={verdict.checks} />
          <ul className="mt-1 list-disc pl-5 text-sm">
            {verdict.means.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </section>
        <section aria-label="What the check points cannot see">
          <h3 className="font-bold">What the check points cannot see</h3>
          {close.blind.map((line) => (
            <p key={line} className="mt-1 text-sm">
              {line}
            </p>
          ))}
          {verdict.adjusted.length > 0 && (
            <details className="mt-2">
              <summary className="cursor-pointer">Fit at the points that adjusted, which proves nothing</summary>
              <Components of={verdict.adjusted} />
            </details>
          )}
        </section>
      </div>
    </>
  );
}

function Components({ of }: { of: Schemas["Component"][] }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  return (
    <div className="overflow-x-auto">
      <table className="table text-sm" data-testid="components">
        <thead>
          <tr>
            <th>{fineUnit(unit)}</th>
            <th className="num">n</th>
            <th className="num">mean</th>
            <th className="num">RMSE</th>
            <th className="num">s.d.</th>
            <th className="num">95 %</th>
            <th className="num">worst</th>
          </tr>
        </thead>
        <tbody>
          {of.map((c) => (
            <tr key={c.axis}>
              <td>{AXES[c.axis]}</td>
              <td className="num">{c.n}</td>
              <td className="num">
                <Fine value={c.mean} unit={unit} />
              </td>
              <td className="num font-bold" data-testid={`rmse-${c.axis}`}>
                <Fine value={c.rmse} unit={unit} />
              </td>
              <td className="num">
                <Fine value={c.sd} unit={unit} />
              </td>
              <td className="num">
                <Fine value={c.at_95} unit={unit} />
              </td>
              <td className="num">
                <Fine value={c.worst} unit={unit} /> {c.worst_point}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
