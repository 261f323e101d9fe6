import type { LineProfile as Side } from "../api/client";
import { length, UNITS } from "../lib/units";
import { unitName } from "../ui/fields";
import { niceStep } from "./Gauges";

const WIDTH = 760;
const HEIGHT = 190;
const PAD = { left: 52, right: 14, top: 12, bottom: 30 };
const TICK = 34; // pixels between two heights, at least

type Place = [number, number];

/** A line from the side: the ground hatched below, what stands there as blocks, the aircraft with its exposures, and where it is nearest. */
export function LineProfile({ side, unit }: { side: Side; unit: string }) {
  const { metres } = UNITS[unit]!;
  const known = [...side.ground, ...side.flown, ...side.things.map((t) => t.top)].filter((h) => h !== null);
  if (!known.length) return null;
  const [low, high] = [Math.min(...known), Math.max(...known)];
  const rise = Math.max(high - low, 10) * 1.12;
  const far = Math.max(1, side.along[side.along.length - 1]!); // straight up, where it takes off below its first exposure
  const x = (along: number) => PAD.left + (along / far) * (WIDTH - PAD.left - PAD.right);
  const y = (h: number) => HEIGHT - PAD.bottom - ((h - low + 0.04 * rise) / rise) * (HEIGHT - PAD.bottom - PAD.top);
  const perPixel = rise / (HEIGHT - PAD.bottom - PAD.top);
  const step = niceStep((TICK * perPixel) / metres) * metres;
  const first = Math.ceil(low / step);
  const heights = Array.from({ length: Math.floor((low + rise) / step) - first + 1 }, (_, k) => (first + k) * step);
  const across = niceStep((110 * far) / (WIDTH - PAD.left - PAD.right) / metres) * metres;
  const distances = Array.from({ length: Math.floor(far / across) + 1 }, (_, k) => k * across);
  const exaggeration = far / (WIDTH - PAD.left - PAD.right) / perPixel;
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full max-w-[760px]" role="img" aria-label={side.words}>
      {heights.map((h) => (
        <g key={h} fontSize="11" fill="var(--quiet)">
          <line x1={PAD.left} x2={WIDTH - PAD.right} y1={y(h)} y2={y(h)} stroke="var(--hairline)" />
          <text x={PAD.left - 6} y={y(h) + 4} textAnchor="end" className="figures">
            {length(h, unit, 0)}
          </text>
        </g>
      ))}
      {distances.map((d) => (
        <g key={d} fontSize="11" fill="var(--quiet)">
          <line x1={x(d)} x2={x(d)} y1={HEIGHT - PAD.bottom} y2={HEIGHT - PAD.bottom + 4} stroke="var(--ink)" />
          <text x={x(d)} y={HEIGHT - PAD.bottom + 16} textAnchor="middle" className="figures">
            {length(d, unit, 0)}
          </text>
        </g>
      ))}
      <text x={WIDTH - PAD.right} y={HEIGHT - 2} fontSize="11" fill="var(--quiet)" textAnchor="end">
        {unitName(unit)} along and {unitName(unit)} of height, heights × {exaggeration.toFixed(1)}
      </text>
      {side.things.map((thing) => (
        <g key={`${thing.name} ${thing.first}`}>
          <rect
            x={x(thing.first)}
            y={y(thing.top)}
            width={Math.max(2, x(thing.last) - x(thing.first))}
            height={Math.max(0, HEIGHT - PAD.bottom - y(thing.top))}
            fill="none"
            stroke="var(--decision)"
            strokeDasharray="4 2"
          />
          <text x={x(thing.first) + 3} y={y(thing.top) - 3} fontSize="11" fill="var(--decision-text)">
            {thing.name}
          </text>
        </g>
      ))}
      {runs(side.along, side.ground).map((run) => (
        <g key={run[0]![0]}>
          <path
            d={`M${x(run[0]![0])} ${HEIGHT - PAD.bottom}${path(run, x, y, "L")}L${x(run[run.length - 1]![0])} ${HEIGHT - PAD.bottom}Z`}
            fill="var(--in-0)"
          />
          <path d={path(run, x, y)} stroke="var(--ink)" strokeWidth="1.8" fill="none" />
        </g>
      ))}
      {runs(side.along, side.flown).map((run) => (
        <path key={run[0]![0]} d={path(run, x, y)} stroke="var(--settled)" strokeWidth="1.6" fill="none" />
      ))}
      {side.exposures.map((d) => {
        const h = at(side, d);
        return h === null ? null : <circle key={d} cx={x(d)} cy={y(h)} r="1.7" fill="var(--settled)" />;
      })}
      {side.clearance && side.nearest !== null && <Nearest side={side} x={x} y={y} unit={unit} />}
    </svg>
  );
}

/** The least clearance as an upright line from the aircraft down to what it is over. */
function Nearest(props: { side: Side; x: (d: number) => number; y: (h: number) => number; unit: string }) {
  const { side, x, y, unit } = props;
  const h = at(side, side.nearest!);
  if (h === null) return null;
  const left = x(side.nearest!) > WIDTH - 160;
  return (
    <g>
      <line
        x1={x(side.nearest!)}
        x2={x(side.nearest!)}
        y1={y(h)}
        y2={y(h - side.clearance!.least)}
        stroke="var(--decision)"
        strokeWidth="1.6"
      />
      <text
        x={x(side.nearest!) + (left ? -5 : 5)}
        y={(y(h) + y(h - side.clearance!.least)) / 2 + 4}
        fontSize="11.5"
        textAnchor={left ? "end" : "start"}
        fill="var(--decision-text)"
        className="figures"
      >
        {length(side.clearance!.least, unit, 1)} {unitName(unit)} clear
      </text>
    </g>
  );
}

/** Stretches of known heights. */
function runs(along: number[], heights: (number | null)[]): Place[][] {
  const out: Place[][] = [];
  let open: Place[] | null = null;
  heights.forEach((h, k) => {
    if (h === null) {
      open = null;
      return;
    }
    if (!open) out.push((open = []));
    open.push([along[k]!, h]);
  });
  return out;
}

function path(run: Place[], x: (d: number) => number, y: (h: number) => number, begin = "M"): string {
  return run.map(([d, h], k) => `${k ? "L" : begin}${x(d).toFixed(1)} ${y(h).toFixed(1)}`).join("");
}

/** The aircraft's height at a place along the line, that of the sample nearest to it. */
function at({ along, flown }: Side, d: number): number | null {
  let nearest = 0;
  for (let k = 1; k < along.length; k++) if (Math.abs(along[k]! - d) < Math.abs(along[nearest]! - d)) nearest = k;
  return flown[nearest]!;
}
