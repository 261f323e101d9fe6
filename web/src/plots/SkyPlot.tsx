import type { DaySky } from "../api/client";

const MIDDLE = 150;
const RIM = 128;
const TRAIL = 6; // moments behind, an hour

/** Where a direction is drawn: north up, the zenith in the middle. */
function at(azimuth: number, elevation: number): [number, number] {
  const a = (azimuth * Math.PI) / 180;
  const r = (RIM * (90 - elevation)) / 90;
  return [MIDDLE + r * Math.sin(a), MIDDLE - r * Math.cos(a)];
}

const path = (points: [number, number][]) =>
  points.map(([x, y], k) => `${k ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");

/** A mark for each system, so that none is told by colour alone. */
function Mark({ system, x, y, seen }: { system: string; x: number; y: number; seen: boolean }) {
  const shape =
    system === "G"
      ? `M${x - 4} ${y}a4 4 0 1 0 8 0a4 4 0 1 0 -8 0`
      : system === "R"
        ? `M${x - 3.5} ${y - 3.5}h7v7h-7z`
        : system === "E"
          ? `M${x} ${y - 4.6}l4.4 7.6h-8.8z`
          : `M${x} ${y - 4.6}l4.6 4.6l-4.6 4.6l-4.6 -4.6z`;
  return <path d={shape} fill={seen ? "var(--settled)" : "var(--sheet)"} stroke="var(--ink)" strokeWidth="1.2" />;
}

/** The sky over a point at one moment, the horizon cut in; each satellite with its last hour. */
export function SkyPlot({ sky, moment }: { sky: DaySky; moment: number }) {
  const inside = sky.horizon.map((h, k) => at(k, h));
  const rim = sky.horizon.map((_, k) => at(k, 0));
  const seen = sky.passes.filter((p) => moment >= p.first && moment < p.first + p.azimuth.length);
  return (
    <svg viewBox="0 0 300 300" className="w-full max-w-[340px]" role="img" aria-label={`The sky over ${sky.name}`}>
      <circle cx={MIDDLE} cy={MIDDLE} r={RIM} fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.4" />
      {[30, 60].map((h) => (
        <circle key={h} cx={MIDDLE} cy={MIDDLE} r={(RIM * (90 - h)) / 90} fill="none" stroke="var(--hairline)" />
      ))}
      <path
        d={`M${MIDDLE - RIM} ${MIDDLE}H${MIDDLE + RIM}M${MIDDLE} ${MIDDLE - RIM}V${MIDDLE + RIM}`}
        stroke="var(--hairline)"
      />
      <path
        d={`${path(rim)}Z${path(inside)}Z`}
        fillRule="evenodd"
        fill="var(--contour)"
        fillOpacity="0.75"
        stroke="var(--ink)"
        strokeWidth="0.7"
      />
      <circle
        cx={MIDDLE}
        cy={MIDDLE}
        r={(RIM * (90 - sky.mask)) / 90}
        fill="none"
        stroke="var(--decision-text)"
        strokeDasharray="5 3"
      />
      {seen.map((p) => {
        const now = moment - p.first;
        const trail = p.azimuth.map((a, k) => at(a, p.elevation[k]!)).slice(Math.max(0, now - TRAIL), now + 1);
        const [x, y] = at(p.azimuth[now]!, p.elevation[now]!);
        return (
          <g key={p.name}>
            <path d={path(trail)} fill="none" stroke="var(--quiet)" strokeWidth="1" />
            <Mark system={p.name[0]!} x={x} y={y} seen={p.seen[now]!} />
            <text
              x={x + 6}
              y={y + 3.5}
              fontSize="9"
              fill="var(--ink)"
              stroke="var(--sheet)"
              strokeWidth="2.4"
              paintOrder="stroke"
            >
              {p.name}
            </text>
          </g>
        );
      })}
      {["N", "E", "S", "W"].map((name, k) => {
        const [x, y] = at(90 * k, -8);
        return (
          <text key={name} x={x} y={y + 4} fontSize="12" textAnchor="middle" fill="var(--ink)" fontWeight="600">
            {name}
          </text>
        );
      })}
      {[30, 60].map((h) => (
        <text key={h} x={MIDDLE + 3} y={MIDDLE - (RIM * (90 - h)) / 90 + 10} fontSize="9" fill="var(--quiet)">
          {h}°
        </text>
      ))}
      <text x={MIDDLE + 3} y={MIDDLE + (RIM * (90 - sky.mask)) / 90 - 3} fontSize="9" fill="var(--decision-text)">
        mask {sky.mask}°
      </text>
    </svg>
  );
}
