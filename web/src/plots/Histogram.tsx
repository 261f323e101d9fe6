import { fine, fineUnit } from "../lib/units";

/** The judged statistic as the simulation drew it, with the tolerance: how uncertain the test itself is. */
export function Histogram({
  name,
  edges,
  counts,
  limit,
  unit,
}: {
  name: string;
  edges: number[];
  counts: number[];
  limit: number;
  unit: string;
}) {
  const low = Math.min(edges[0]!, limit);
  const high = Math.max(edges.at(-1)!, limit);
  const x = (v: number) => 8 + ((v - low) / (high - low || 1)) * 284;
  const top = Math.max(...counts);
  return (
    <figure>
      <figcaption className="text-sm">{name}</figcaption>
      <svg
        viewBox="0 0 300 96"
        className="w-full max-w-[420px]"
        role="img"
        aria-label={`${name}, tolerance ${fine(limit, unit)} ${fineUnit(unit)}`}
      >
        {counts.map((count, k) => (
          <rect
            key={k}
            x={x(edges[k]!)}
            width={Math.max(0.5, x(edges[k + 1]!) - x(edges[k]!) - 0.4)}
            y={74 - (count / top) * 62}
            height={(count / top) * 62}
            fill={edges[k]! < limit ? "var(--in-1)" : "var(--out-1)"}
          />
        ))}
        <line x1="8" x2="292" y1="74" y2="74" stroke="var(--ink)" />
        <line x1={x(limit)} x2={x(limit)} y1="6" y2="78" stroke="var(--decision)" strokeWidth="2" />
        <text
          x={Math.min(Math.max(x(limit), 20), 280)}
          y="91"
          fontSize="11"
          textAnchor="middle"
          fill="var(--decision-text)"
          className="figures"
        >
          {fine(limit, unit)}
        </text>
        {[low, high].map(
          (v, k) =>
            Math.abs(x(v) - x(limit)) > 34 && (
              <text
                key={k}
                x={x(v)}
                y="91"
                fontSize="11"
                textAnchor={k ? "end" : "start"}
                fill="var(--ink)"
                className="figures"
              >
                {fine(v, unit)}
              </text>
            ),
        )}
      </svg>
    </figure>
  );
}
