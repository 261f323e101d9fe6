import type { ReactNode } from "react";
import type { Close } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { Heading } from "../../ui/Heading";
import { StationViews } from "../StationViews";
import { ProblemNote } from "../../ui/ProblemNote";
import { UNDER_WAY } from "../../ui/UnderWay";
import { AgainstView } from "./AgainstView";
import { MendView } from "./MendView";
import { ReportView } from "./ReportView";
import { ResidualsView } from "./ResidualsView";
import { useClose, useCloseSteps } from "./useClose";
import { VerdictView } from "./VerdictView";
import { CLOSE_VIEWS, type CloseView } from "./views";

/** What a view of the closing is given. */
export interface CloseViewProps {
  close: Close;
  steps: ReturnType<typeof useCloseSteps>;
}

const VIEWS: Record<CloseView, (props: CloseViewProps) => ReactNode> = {
  residuals: ResidualsView,
  verdict: VerdictView,
  against: AgainstView,
  mend: MendView,
  report: ReportView,
};

/** What came out, against what was promised, and who answers for it. */
export function CloseTray() {
  const close = useClose();
  const steps = useCloseSteps();
  const { view } = useNavigation();
  const { plan } = usePlan();
  const first = close?.verdict ? "verdict" : "residuals";
  const chosen = view in VIEWS ? (view as CloseView) : first;
  const View = VIEWS[chosen];
  return (
    <div data-testid="close">
      <Heading title="Close">
        <span className="text-quiet">{plan.brief.title}</span>
      </Heading>
      <StationViews views={CLOSE_VIEWS} chosen={chosen} />
      {steps.problem && <ProblemNote problem={steps.problem} onClose={steps.clear} />}
      {close && <State close={close} steps={steps} />}
      {close ? <View close={close} steps={steps} /> : <p className="text-quiet">Opening…</p>}
    </div>
  );
}

/** What hinders, or is waited for. */
function State({ close, steps }: CloseViewProps) {
  if (UNDER_WAY.includes(close.state))
    return (
      <p role="status" className="text-decision-text">
        What was done is being computed; the comparison follows by itself.
      </p>
    );
  const residuals = close.closing.sets.length > 0;
  if (close.state === "lacking" && residuals)
    return <p className="border-l-4 border-decision bg-decision-wash px-2 py-1">{close.words}</p>;
  if (close.state === "failed" || (close.state === "none" && residuals))
    return (
      <p role="alert" className="flex items-start gap-2 border-l-4 border-decision bg-decision-wash px-2 py-1">
        <span className="flex-1">{close.words || "What was done is not computed yet."}</span>
        <button className="button" disabled={steps.busy} onClick={() => void steps.step("compute")}>
          compute
        </button>
      </p>
    );
  return null;
}
