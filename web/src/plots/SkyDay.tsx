import type { DaySky } from "../api/client";

const WIDTH = 520;
const LEFT = 34;
const RIGHT = 486;
const TOP = 20;
const FOOT = 128;

export interface Span {
  name: string;
  first: number;
  last: number;
}

/** Satellites and geometry over the day, what is planned laid over them; a click goes to a moment. */
export function SkyDay(props: { sky: DaySky; spans: Span[]; moment: number; onMoment: (k: number) => void }) {
  const { sky, spans, moment, onMoment } = props;
  const most = Math.ceil((Math.max(...sky.open_count) + 2) / 10) * 10;
  const x = (minute: number) => LEFT + ((RIGHT - LEFT) * minute) / 1440;
  const y = (count: number) => FOOT - ((FOOT - TOP) * count) / most;
  const dop = (value: number) => FOOT - ((FOOT - TOP) * Math.min(value, 6)) / 6;
  const line = (counts: number[]) =>
    counts.map((c, k) => `${k ? "L" : "M"}${x(sky.minutes[k]!).toFixed(1)} ${y(c).toFixed(1)}`).join("");
  let drawn = false;
  const geometry = sky.pdop
    .map((value, k) => {
      if (value === null) {
        drawn = false;
        return "";
      }
      const step = `${drawn ? "L" : "M"}${x(sky.minutes[k]!).toFixed(1)} ${dop(value).toFixed(1)}`;
      drawn = true;
      return step;
    })
    .join("");
  const pick = (event: React.PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const minute = (((event.clientX - box.left) / box.width) * WIDTH - LEFT) * (1440 / (RIGHT - LEFT));
    onMoment(Math.max(0, Math.min(sky.minutes.length - 1, Math.round((minute / 1440) * (sky.minutes.length - 1)))));
  };
  return (
    <svg
      viewBox={`0 0 ${WIDTH} 168`}
      className="w-full max-w-[600px] cursor-crosshair"
      role="img"
      aria-label={`Satellites over the day: ${sky.told}`}
      onPointerDown={pick}
    >
      {sky.windows
        .filter((w) => w.kind !== "good")
        .map((w) => (
          <rect
            key={w.first}
            x={x(w.first)}
            y={TOP}
            width={Math.max(2, x(w.last) - x(w.first))}
            height={FOOT - TOP}
            fill="var(--decision-wash)"
            stroke="var(--decision)"
            strokeDasharray="2 2"
          />
        ))}
      <path d={`${line(sky.count)}L${RIGHT} ${FOOT}L${LEFT} ${FOOT}Z`} fill="var(--settled-wash)" />
      <path d={line(sky.count)} fill="none" stroke="var(--settled)" strokeWidth="1.8" />
      <path d={line(sky.open_count)} fill="none" stroke="var(--quiet)" strokeDasharray="2 3" />
      <path d={`M${LEFT} ${y(10)}H${RIGHT}`} stroke="var(--decision-text)" strokeDasharray="5 3" />
      <path d={geometry} fill="none" stroke="var(--ink)" strokeWidth="1.4" />
      <path d={`M${LEFT} ${TOP}V${FOOT}H${RIGHT}V${TOP}`} fill="none" stroke="var(--ink)" />
      <g fontSize="12" fill="var(--quiet)">
        {[10, 20, 30, 40]
          .filter((c) => c <= most)
          .map((c) => (
            <text key={c} x={LEFT - 4} y={y(c) + 4} textAnchor="end">
              {c}
            </text>
          ))}
        {[2, 4, 6].map((c) => (
          <text key={c} x={RIGHT + 4} y={dop(c) + 4}>
            {c}
          </text>
        ))}
        {[0, 4, 8, 12, 16, 20, 24].map((h) => (
          <text key={h} x={x(60 * h)} y={FOOT + 13} textAnchor="middle">
            {String(h).padStart(2, "0")}:00
          </text>
        ))}
        <text x="2" y="11">
          satellites
        </text>
        <text x={WIDTH - 2} y="11" textAnchor="end">
          PDOP
        </text>
      </g>
      {spans.map((s) => (
        <g key={`${s.name}${s.first}`}>
          <rect x={x(s.first)} y={FOOT + 18} width={Math.max(2, x(s.last) - x(s.first))} height="9" fill="var(--ink)">
            <title>{s.name}</title>
          </rect>
        </g>
      ))}
      {spans.length > 0 && (
        <text x={x(spans[0]!.first)} y={FOOT + 38} fontSize="12" fill="var(--quiet)">
          in the air
        </text>
      )}
      <path d={`M${x(sky.minutes[moment]!)} ${TOP - 4}V${FOOT + 4}`} stroke="var(--decision)" strokeWidth="1.6" />
    </svg>
  );
}
