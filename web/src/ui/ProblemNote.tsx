import type { Problem } from "../api/client";

/** An error in place: what, where, how to mend. */
export function ProblemNote({
  problem,
  onClose,
}: {
  problem: Pick<Problem, "what" | "where" | "mend">;
  onClose?: () => void;
}) {
  return (
    <div role="alert" className="flex gap-2 border-l-4 border-decision bg-decision-wash px-2 py-1">
      <p className="flex-1">
        {problem.where && <span className="text-quiet">{problem.where}: </span>}
        <strong>{problem.what}</strong> {problem.mend}
      </p>
      {onClose && (
        <button className="cursor-pointer px-1 font-bold" onClick={onClose} aria-label="Close this message">
          ×
        </button>
      )}
    </div>
  );
}
