import { lazy, Suspense, useState } from "react";
import type { Finding } from "../api/client";
import { unbroken } from "../lib/units";
import { Severity } from "../ui/Severity";
import { usePlan } from "./plan";
import { useNavigation } from "./workbench/navigation";
import { useSelection } from "./workbench/selection";

const Reason = lazy(() => import("./Waiving").then((m) => ({ default: m.Reason })));
const Accepted = lazy(() => import("./Waiving").then((m) => ({ default: m.Accepted })));

/** What the rules find against the plan, worst first: each with what mends it, or accepted with a reason. */
export function Findings() {
  const { findings, trial } = usePlan();
  const open = findings?.filter((f) => !f.waived) ?? [];
  const accepted = findings?.filter((f) => f.waived) ?? [];
  return (
    <section aria-label="Findings" className="border-t border-hairline pt-1">
      <Tried found={trial.live ? trial.findings : null} />
      {findings && open.length === 0 && <p className="text-quiet">Nothing open against this plan.</p>}
      {open.map((f) => (
        <Found key={f.rule + f.object + f.words} of={f} />
      ))}
      {accepted.length > 0 && (
        <details className="mt-1 text-sm" data-testid="accepted">
          <summary className="cursor-pointer text-quiet">{accepted.length} accepted, with reasons</summary>
          <Suspense fallback={null}>
            {accepted.map((f) => (
              <Accepted key={f.rule + f.object + f.words} of={f} />
            ))}
          </Suspense>
        </details>
      )}
    </section>
  );
}

/** What would be found against a point where it is being dragged to. */
function Tried({ found }: { found: Finding[] | null }) {
  if (!found) return null;
  return (
    <div className="border-b border-ink py-1 text-sm" data-testid="tried">
      <p className="font-bold">Where it is now</p>
      {!found.length && <p className="text-settled">● nothing against it</p>}
      {found.map((f) => (
        <p key={f.rule + f.object + f.words} className="flex items-start gap-2">
          <Severity of={f.severity} />
          <span>{unbroken(f.words)}</span>
        </p>
      ))}
    </div>
  );
}

function Found({ of: f }: { of: Finding }) {
  const { edit } = usePlan();
  const { open } = useNavigation();
  const { select, setGoTo } = useSelection();
  const [accepting, setAccepting] = useState(false);
  const go = () => {
    open(f.station);
    if (f.object) select(f.object);
    const place = f.edits[0]?.after as { e?: number; n?: number } | null | undefined;
    if (place?.e && place.n) setGoTo({ e: place.e, n: place.n });
  };
  return (
    <div className="border-b border-hairline py-1.5 text-sm">
      <div className="flex items-start gap-2">
        <Severity of={f.severity} />
        <span className="flex-1" title={f.why}>
          {f.severity === "stop" ? <strong>{unbroken(f.words)}</strong> : unbroken(f.words)}{" "}
          <span className="text-quiet">{unbroken(f.mend)}</span>
          {f.own && <span className="text-quiet"> Organisation’s rule since {f.own}</span>}{" "}
          <button
            className="cursor-pointer text-quiet underline"
            aria-expanded={accepting}
            aria-label={`Accept with a reason: ${f.words}`}
            onClick={() => setAccepting(!accepting)}
          >
            accept…
          </button>
        </span>
        {f.label && f.edits.length ? (
          <button className="button" onClick={() => void edit(f.edits)}>
            {f.label}
          </button>
        ) : (
          <button className="button" onClick={go}>
            go there
          </button>
        )}
      </div>
      {accepting && <p className="pl-5 text-quiet">Why it is asked: {f.why}</p>}
      {accepting && (
        <Suspense fallback={null}>
          <Reason of={f} onDone={() => setAccepting(false)} />
        </Suspense>
      )}
    </div>
  );
}
