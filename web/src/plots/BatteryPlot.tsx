import type { AirTime } from "../api/client";

const WIDTH = 400;
const HEIGHT = 150;
const PAD = { left: 40, right: 74, top: 12, bottom: 26 };

/** The battery over the time in the air: a tooth for each sortie, a dot at the end of each line, the reserve across. */
export function BatteryPlot({ air, reserve }: { air: AirTime; reserve: number }) {
  const whole = air.minutes;
  const x = (minutes: number) => PAD.left + (minutes / whole) * (WIDTH - PAD.left - PAD.right);
  const y = (percent: number) => PAD.top + (1 - Math.max(0, percent) / 100) * (HEIGHT - PAD.top - PAD.bottom);
  const starts = air.sorties.map((_, k) => air.sorties.slice(0, k).reduce((sum, sortie) => sum + sortie.minutes, 0));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-[400px] max-w-full"
      role="img"
      aria-label={`Battery at the end of each line: it lands with ${Math.min(...air.sorties.map((l) => l.battery)).toFixed(0)} % at least, reserve ${reserve} %`}
    >
      {[0, 25, 50, 75, 100].map((percent) => (
        <g key={percent} fontSize="11" fill="var(--quiet)">
          <line x1={PAD.left} x2={WIDTH - PAD.right} y1={y(percent)} y2={y(percent)} stroke="var(--hairline)" />
          <text x={PAD.left - 5} y={y(percent) + 4} textAnchor="end" className="figures">
            {percent}
          </text>
        </g>
      ))}
      <text x="4" y={HEIGHT - 6} fontSize="11" fill="var(--quiet)">
        % left, by minutes in the air
      </text>
      <line
        x1={PAD.left}
        x2={WIDTH - PAD.right}
        y1={y(reserve)}
        y2={y(reserve)}
        stroke="var(--decision)"
        strokeWidth="1.6"
      />
      <text x={WIDTH - PAD.right + 5} y={y(reserve) + 4} fontSize="11" fill="var(--decision-text)">
        reserve {reserve}
      </text>
      {air.sorties.map((sortie, k) => {
        const per = (100 - sortie.battery) / sortie.minutes; // per cent a minute
        const own = air.lines.filter((line) => line.sortie === sortie.number);
        return (
          <g key={sortie.number}>
            <line
              x1={x(starts[k]!)}
              x2={x(starts[k]! + sortie.minutes)}
              y1={y(100)}
              y2={y(sortie.battery)}
              stroke="var(--ink)"
              strokeWidth="1.4"
            />
            {own.map((line) => (
              <circle
                key={line.number}
                cx={x(starts[k]! + (100 - line.battery) / per)}
                cy={y(line.battery)}
                r="2.4"
                fill={line.battery < reserve ? "var(--decision)" : "var(--settled)"}
              />
            ))}
            <text
              x={x(starts[k]! + sortie.minutes) - 2}
              y={y(sortie.battery) + 14}
              fontSize="11"
              textAnchor="end"
              fill={sortie.enough ? "var(--ink)" : "var(--decision-text)"}
              stroke="var(--paper)"
              strokeWidth="3"
              paintOrder="stroke"
              className="figures"
            >
              {sortie.battery.toFixed(0)}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
