import { useEffect, useState } from "react";
import { chance, fine, fineUnit } from "../lib/units";
import { usePlan } from "./plan";
import { AccuracyGauges } from "./AccuracyGauges";

/** The right column of a narrow screen: a drawer whose closed edge still shows H, V and the probability. */
export function Drawer() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    if (!open) return;
    const close = (event: KeyboardEvent) => event.key === "Escape" && setOpen(false);
    window.addEventListener("keydown", close);
    return () => window.removeEventListener("keydown", close);
  }, [open]);
  return (
    <div className="relative min-h-0">
      <button
        className="flex h-full w-full cursor-pointer flex-col items-center gap-3 border-l border-ink bg-sheet py-2 hover:bg-settled-wash"
        aria-expanded={open}
        aria-label="Predicted accuracy, budget and findings"
        data-testid="edge"
        onClick={() => setOpen(!open)}
      >
        <span aria-hidden>{open ? "▸" : "◂"}</span>
        <Figures />
      </button>
      {open && (
        <div className="absolute top-0 right-full z-20 grid h-full w-[290px] border-b border-ink" data-testid="drawer">
          <AccuracyGauges />
        </div>
      )}
    </div>
  );
}

function Figures() {
  const { plan, summary, result, trial } = usePlan();
  const sound = trial.live ?? result;
  const { unit } = plan.brief;
  if (!sound) return <span className="text-xs text-quiet">none yet</span>;
  return (
    <>
      {(["h", "v"] as const).map((axis) => {
        const limit = summary?.limits[axis];
        const outside = !!limit && sound[`rmse_${axis}`] > limit;
        return (
          <span key={axis} className={`text-center ${outside ? "text-decision-text" : "text-settled"}`}>
            <span className="block text-sm">
              <span aria-hidden>{outside ? "◆" : "●"}</span> {axis.toUpperCase()}
            </span>
            <span className="figures block text-sm font-bold">{fine(sound[`rmse_${axis}`], unit)}</span>
          </span>
        );
      })}
      <span className="text-xs">{fineUnit(unit)}</span>
      {sound.chance !== null && <span className="figures text-sm font-bold">{chance(sound.chance)}</span>}
      <Found />
    </>
  );
}

/** How many findings wait in the drawer. */
function Found() {
  const { findings } = usePlan();
  const troubles = findings?.filter((f) => f.severity !== "note").length ?? 0;
  if (!troubles) return null;
  return (
    <span className="border border-decision px-1 text-center text-xs text-decision-text">
      {troubles} to
      <br />
      mend
    </span>
  );
}
