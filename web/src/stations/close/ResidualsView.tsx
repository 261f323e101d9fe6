import { useState } from "react";
import type { Schemas } from "../../api/client";
import type { CloseViewProps } from "./CloseTray";
import { ReadResiduals } from "./ReadResiduals";
import { Lines, USED, type Used } from "./residualTables";

/** Residuals in: how the file is read, which points adjusted and which checked, then taken. */
export function ResidualsView({ close, steps }: CloseViewProps) {
  const [open, setOpen] = useState(false);
  const taken = close.closing.sets.at(-1);
  if (!taken || open) return <ReadResiduals close={close} steps={steps} onDone={() => setOpen(false)} />;
  const counts = [
    taken.images !== null && `${taken.images} images`,
    taken.positions !== null && `${taken.positions} positions`,
  ].filter(Boolean);
  /** What a point is used for may turn out wrong after judging: the set is judged anew, the earlier one stays on record. */
  const use = (line: Schemas["ResidualLine"], used: Used) => {
    const known = taken.outcomes.some((o) => o.point === line.point);
    const others = known ? taken.outcomes : [...taken.outcomes, { point: line.point, used, d: null, images: null }];
    const outcomes = others.map((o) => (o.point === line.point ? { ...o, used } : o));
    const how = [...taken.how, `${line.name}: ${USED.find((u) => u.id === used)!.name}, said after judging.`].slice(
      -20,
    );
    void steps.step("residuals", { revision: close.revision, taken: { ...taken, outcomes, how } });
  };
  return (
    <>
      <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <span>
          From <strong>{taken.file}</strong>. {taken.how.join(" ")} {counts.length > 0 && `${counts.join(", ")}.`}
          {close.closing.sets.length > 1 && ` ${close.closing.sets.length - 1} earlier on record.`}
        </span>
        {!close.frozen && (
          <button className="button" onClick={() => setOpen(true)}>
            import another
          </button>
        )}
      </p>
      {close.shift && <p className="text-sm text-decision-text">After the block shift.</p>}
      <Lines lines={close.residuals} onUse={close.frozen || steps.busy ? undefined : use} />
    </>
  );
}
