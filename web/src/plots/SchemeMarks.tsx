import { fine, fineUnit, UNITS } from "../lib/units";

const WIDTH = 180;
const LEAST = 0.004;
const MOST = 6;
const LEFT = 14;
const x = (metres: number) => {
  const share = Math.log(metres / LEAST) / Math.log(MOST / LEAST);
  return LEFT + Math.min(1, Math.max(0, share)) * (WIDTH - 4 - LEFT);
};

/** What one scheme predicts, on a scale that has millimetres and metres: absolute solid from below, as the checks see it open from above,
 * the tolerance as a line. */
export function SchemeMarks(props: {
  absolute: [number, number];
  seen: [number, number] | null;
  limits: [number, number | null];
  unit: string;
}) {
  const { absolute, seen, limits, unit } = props;
  const told = (v: number) => `${fine(v, unit)} ${fineUnit(unit)}`;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} 36`}
      className="h-[36px] w-[180px]"
      role="img"
      aria-label={`H ${told(absolute[0])}, V ${told(absolute[1])}`}
    >
      {["H", "V"].map((name, k) => {
        const y = 9 + 17 * k;
        const limit = limits[k];
        return (
          <g key={name}>
            <text x="0" y={y + 4} fontSize="10.5" fill="var(--quiet)">
              {name}
            </text>
            <path d={`M${LEFT} ${y}H${WIDTH - 4}`} stroke="var(--hairline)" />
            {limit && <path d={`M${x(limit)} ${y - 6}v12`} stroke="var(--decision-text)" strokeWidth="1.6" />}
            {seen && (
              <path d={`M${x(seen[k]!)} ${y}l-4 -6.5h8z`} fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.3" />
            )}
            <path
              d={`M${x(absolute[k]!)} ${y}l-4.5 7h9z`}
              fill={limit && absolute[k]! > limit ? "var(--decision-text)" : "var(--settled)"}
            />
          </g>
        );
      })}
    </svg>
  );
}

/** The scale over them, in the job's unit. */
export function SchemeScale({ unit }: { unit: string }) {
  const { metres, short } = UNITS[unit]!;
  const ticks = [0.01, 0.1, 1, 10].map((v) => ({ v, at: v * metres })).filter((t) => t.at >= LEAST && t.at <= MOST);
  return (
    <svg viewBox={`0 0 ${WIDTH} 16`} className="h-4 w-[180px]" aria-hidden="true">
      {ticks.map(({ v, at }) => (
        <g key={v}>
          <path d={`M${x(at)} 12v4`} stroke="var(--ink)" />
          <text x={x(at)} y="10" fontSize="10.5" textAnchor="middle" fill="var(--quiet)">
            {v} {short}
          </text>
        </g>
      ))}
    </svg>
  );
}
