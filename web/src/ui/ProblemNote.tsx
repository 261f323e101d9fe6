import { useEffect } from "react";
import type { SketchedFault, Problem } from "../api/client";
import { useOverlayIfAny } from "../app/workbench/overlay";

/** An error in place: what, where, how to mend. */
export function ProblemNote({
  problem,
  onClose,
}: {
  problem: Pick<Problem, "what" | "where" | "mend"> & { drawn?: SketchedFault | null };
  onClose?: () => void;
}) {
  return (
    <div role="alert" className="flex gap-2 border-l-4 border-decision bg-decision-wash px-2 py-1">
      <p className="flex-1">
        {problem.where && <span className="text-quiet">{problem.where}: </span>}
        <strong>{problem.what}</strong> {problem.mend} <OnTheSheet drawn={problem.drawn} />
      </p>
      {onClose && (
        <button className="cursor-pointer px-1 font-bold" onClick={onClose} aria-label="Close this message">
          ×
        </button>
      )}
    </div>
  );
}

/** Shows on the sheet what could not be taken, and where; it goes with the message. */
export function OnTheSheet({ drawn }: { drawn: SketchedFault | null | undefined }) {
  const overlay = useOverlayIfAny();
  const setBrought = overlay?.setBrought;
  const setPreview = overlay?.setPreview;
  useEffect(() => {
    if (!drawn || !setBrought || !setPreview) return;
    setBrought({ places: [drawn.spot], lines: [] });
    if (drawn.outline.length) setPreview(drawn.outline);
    return () => {
      setBrought(null);
      setPreview(null);
    };
  }, [drawn, setBrought, setPreview]);
  return drawn && overlay ? <span className="text-sm">It is ringed on the sheet.</span> : null;
}
