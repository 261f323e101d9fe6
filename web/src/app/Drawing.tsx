import type { JobLine } from "../api/client";

/** A site drawn small, north up: its outline, targets as triangles, checks as rings, marks as crosses. */
export function Drawing({ of }: { of: JobLine["drawing"] }) {
  if (!of?.ring.length)
    return (
      <svg
        viewBox="-6 -6 112 112"
        className="h-18 w-18 border border-hairline bg-sheet"
        role="img"
        aria-label="No boundary yet"
      >
        <path d="M20 80 L80 20" className="stroke-hairline" strokeWidth={2} />
      </svg>
    );
  const at = (spots: [number, number][]) => spots.map(([x, y]) => `${x},${y}`).join(" ");
  return (
    <svg viewBox="-6 -6 112 112" className="h-18 w-18 border border-hairline bg-sheet" role="img" aria-label="The site">
      <polygon points={at(of.ring)} className="fill-settled-wash stroke-ink" strokeWidth={1.5} />
      {of.targets.map(([x, y], k) => (
        <path key={k} d={`M${x - 4} ${y + 3} h8 l-4 -7 z`} className="fill-ink" />
      ))}
      {of.checks.map(([x, y], k) => (
        <circle key={k} cx={x} cy={y} r={3} className="fill-sheet stroke-ink" strokeWidth={1.5} />
      ))}
      {of.marks.map(([x, y], k) => (
        <path key={k} d={`M${x - 4} ${y} h8 M${x} ${y - 4} v8`} className="stroke-decision" strokeWidth={2} />
      ))}
    </svg>
  );
}
