import type { Underway } from "../api/client";

export const UNDER_WAY = ["queued", "running", "cancelled"];

/** Work on the server: how far it is, how long it still takes where that can be told, and a way to stop it. */
export function UnderWay({ work, onStop }: { work: Underway; onStop: () => void }) {
  return (
    <div className="text-sm">
      <div
        role="progressbar"
        aria-label={work.stage || "waiting"}
        aria-valuenow={Math.round(work.share * 100)}
        className="h-1 bg-hairline"
      >
        <div className="h-1 bg-settled" style={{ width: `${Math.max(4, work.share * 100)}%` }} />
      </div>
      <p className="flex items-start justify-between gap-2">
        <span className="text-quiet">{words(work)}</span>
        <button className="cursor-pointer underline" onClick={onStop}>
          stop
        </button>
      </p>
    </div>
  );
}

export function words(work: Underway): string {
  if (work.state !== "running") return work.ahead ? `waiting; ${work.ahead} before this one` : "waiting";
  if (work.seconds_left === null) return work.stage || "starting";
  return `${work.stage}; ${left(work.seconds_left)} left`;
}

/** A time left, no finer than it is known. */
export function left(seconds: number): string {
  if (seconds < 1.5) return "a second";
  if (seconds < 10) return `${Math.round(seconds)} s`;
  if (seconds < 90) return `about ${Math.round(seconds / 5) * 5} s`;
  return `about ${Math.round(seconds / 60)} min`;
}
