import type { Layout } from "../api/client";
import { fine, fineFactor, fineUnit } from "../lib/units";
import { niceStep } from "./Gauges";

const WIDTH = 350;
const HEIGHT = 190;
const PAD = { left: 46, right: 76, top: 14, bottom: 34 };

/** Layouts by their number of targets, against what each promises: H open, V filled, each with its tolerance. */
export function FrontPlot(props: {
  front: Layout[];
  proposed: number | null;
  looked: number | null;
  unit: string;
  onLook: (k: number | null) => void;
  onTake: (k: number) => void;
}) {
  const { front, proposed, looked, unit, onLook, onTake } = props;
  const counts = front.map((one) => one.targets);
  const limits = [front[0]!.limit_h, front[0]!.limit_v].filter((v) => v !== null);
  const most = Math.max(...front.flatMap((one) => [one.rmse_h, one.rmse_v]), ...limits);
  const shown = Math.min(most, 3 * Math.max(...limits)); // far outside says no more than outside
  const [fewest, widest] = [Math.min(...counts), Math.max(1, Math.max(...counts) - Math.min(...counts))];
  const x = (count: number) => PAD.left + 12 + ((count - fewest) / widest) * (WIDTH - PAD.right - PAD.left - 24);
  const y = (v: number) => HEIGHT - PAD.bottom - (v / (shown * 1.06)) * (HEIGHT - PAD.bottom - PAD.top);
  const at = (v: number) => y(Math.min(v, shown * 1.06));
  const fineSteps = fineFactor(unit) * (unit === "m" ? 1 : 1000); // of a foot, thousandths
  const step = niceStep((shown * fineSteps) / 5) / fineSteps;
  const ticks = Array.from({ length: Math.floor(shown / step) + 1 }, (_, k) => k * step);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-[350px] max-w-full"
      role="img"
      aria-label="Layouts by number of control points and what they promise"
    >
      {ticks.map((v) => (
        <g key={v} fontSize="11" fill="var(--quiet)">
          <line x1={PAD.left} x2={WIDTH - PAD.right} y1={y(v)} y2={y(v)} stroke="var(--hairline)" />
          <text x={PAD.left - 6} y={y(v) + 4} textAnchor="end" className="figures">
            {(v * fineFactor(unit)).toFixed(unit === "m" ? 0 : 2)}
          </text>
        </g>
      ))}
      <text x={PAD.left - 6} y={HEIGHT - 8} fontSize="11" textAnchor="end" fill="var(--quiet)">
        {fineUnit(unit)}
      </text>
      {(["h", "v"] as const).map((axis) => {
        const limit = front[0]![`limit_${axis}`];
        return (
          limit !== null && (
            <g key={axis}>
              <line
                x1={PAD.left}
                x2={WIDTH - PAD.right}
                y1={at(limit)}
                y2={at(limit)}
                stroke="var(--decision)"
                strokeWidth="1.6"
                strokeDasharray={axis === "h" ? "5 3" : undefined}
              />
              <text
                x={WIDTH - PAD.right + 5}
                y={at(limit) + (axis === "h" && front[0]!.limit_v === limit ? -8 : 4)}
                fontSize="11"
                fill="var(--decision-text)"
              >
                tol {axis.toUpperCase()} {fine(limit, unit)}
              </text>
            </g>
          )
        );
      })}
      {(["h", "v"] as const).map((axis) => (
        <polyline
          key={axis}
          points={front.map((one) => `${x(one.targets)},${at(one[`rmse_${axis}`])}`).join(" ")}
          fill="none"
          stroke="var(--settled)"
          strokeDasharray={axis === "h" ? "5 3" : undefined}
        />
      ))}
      {front.map((one, k) => (
        <g
          key={k}
          className="cursor-pointer"
          onMouseEnter={() => onLook(k)}
          onMouseLeave={() => onLook(null)}
          onClick={() => onTake(k)}
        >
          <rect x={x(one.targets) - 12} width="24" y={PAD.top} height={HEIGHT - PAD.top - 10} fill="transparent" />
          {looked === k && (
            <line
              x1={x(one.targets)}
              x2={x(one.targets)}
              y1={PAD.top}
              y2={HEIGHT - PAD.bottom}
              stroke="var(--ink)"
              strokeDasharray="2 3"
            />
          )}
          <circle
            cx={x(one.targets)}
            cy={at(one.rmse_h)}
            r="4.5"
            fill="var(--paper)"
            stroke="var(--settled)"
            strokeWidth="1.8"
          />
          <circle cx={x(one.targets)} cy={at(one.rmse_v)} r="4.5" fill="var(--settled)" stroke="var(--settled)" />
          <text
            x={x(one.targets)}
            y={HEIGHT - PAD.bottom + 16}
            fontSize="12"
            fontWeight={proposed === k ? 700 : 400}
            textAnchor="middle"
            fill="var(--ink)"
            className="figures"
          >
            {one.targets}
          </text>
          {proposed === k && (
            <path d={`M${x(one.targets)} ${HEIGHT - PAD.bottom + 20}l5 7h-10z`} fill="var(--settled)" />
          )}
        </g>
      ))}
      <text
        x={WIDTH - PAD.right + 5}
        y={at(front.at(-1)!.rmse_h) + (front.at(-1)!.rmse_h < front.at(-1)!.rmse_v ? 12 : -4)}
        fontSize="12"
        fill="var(--ink)"
      >
        ○ H
      </text>
      <text
        x={WIDTH - PAD.right + 5}
        y={at(front.at(-1)!.rmse_v) + (front.at(-1)!.rmse_v <= front.at(-1)!.rmse_h ? 12 : -4)}
        fontSize="12"
        fill="var(--ink)"
      >
        ● V
      </text>
      <text x={WIDTH - PAD.right + 5} y={HEIGHT - PAD.bottom + 16} fontSize="11" fill="var(--quiet)">
        control points
      </text>
    </svg>
  );
}
