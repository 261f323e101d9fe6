import { fine, fineUnit, UNITS } from "../lib/units";

export interface Rod {
  name: string;
  limit: number | null;
  predicted: number | null;
  seen: number | null;
  ghost: number | null;
  pinned: number | null;
  /** What may be expected given what was done, once there is a book. */
  done: number | null;
  /** At Close: what was promised of the checks before the day, and what they came to. */
  planned: number | null;
  achieved: number | null;
}

/** The marks of a rod that has none. */
export const UNMARKED: Omit<Rod, "name" | "limit"> = {
  predicted: null,
  seen: null,
  ghost: null,
  pinned: null,
  done: null,
  planned: null,
  achieved: null,
};

const TOP = 26;
const HEIGHT = 250;

/** A value as there is room for it beside a rod: of metres, no tenths of a millimetre. */
function besideRod(value: number | null, unit: string): string {
  const text = fine(value, unit);
  return text.length < 6 ? text : Number(text).toFixed(Math.max(0, 4 - text.indexOf(".")));
}

/** Two graduated rods side by side, read like a levelling staff: the tolerance as a line, the prediction as a mark. */
export function Gauges({ rods, unit }: { rods: Rod[]; unit: string }) {
  return (
    <svg
      viewBox="0 0 272 290"
      className="w-full shrink-0"
      role="img"
      aria-label={rods.map((rod) => describe(rod, unit)).join(" ")}
    >
      {rods.map((rod, k) => (
        <g key={rod.name} transform={`translate(${k * 140} 0)`}>
          <Stave rod={rod} unit={unit} />
        </g>
      ))}
    </svg>
  );
}

function describe(rod: Rod, unit: string): string {
  const words = (value: number | null) => `${fine(value, unit)} ${fineUnit(unit)}`;
  if (rod.achieved !== null)
    return `${rod.name} at the checks: planned ${words(rod.planned)}, as done ${words(rod.done)}, achieved ${words(rod.achieved)}, tolerance ${words(rod.limit)}.`;
  const done = rod.done === null ? "" : `, as done ${words(rod.done)}`;
  return `${rod.name}: predicted ${words(rod.predicted)}${done}, checks see ${words(rod.seen)}, tolerance ${words(rod.limit)}.`;
}

/** Graduated in millimetres, or in feet to the thousandth. */
function Stave({ rod, unit }: { rod: Rod; unit: string }) {
  const scale = unit === "m" ? 1000 : 1000 / UNITS[unit]!.metres;
  const main = rod.achieved ?? rod.predicted;
  const limit = (rod.limit ?? Math.max(0.03, main ?? 0)) * scale;
  const shown = [main, rod.seen, rod.ghost, rod.pinned, rod.done, rod.planned].map((v) => (v ?? 0) * scale);
  const full = Math.min(Math.max(limit * 1.45, Math.max(...shown) * 1.1), limit * 4);
  const y = (value: number) => TOP + HEIGHT * (1 - Math.min(value / full, 1));
  const step = niceStep(full / 26);
  const blocks = Array.from({ length: Math.ceil(full / step) }, (_, k) => k);
  const aboveLimit = y((main ?? 0) * scale) < y(limit);
  const close = main !== null && rod.limit !== null && Math.abs(y(main * scale) - y(limit)) < 14;
  const aside = !close ? 0 : aboveLimit ? -9 : 11; // its figure off the tolerance's line
  const marks = [
    { key: "pinned", value: rod.pinned },
    { key: "ghost", value: rod.ghost },
    { key: "predicted", value: main },
  ].filter((m) => m.value !== null);
  return (
    <>
      <text x="22" y="13" fontWeight="700" fontSize="14" fill="var(--ink)">
        {rod.name}, {fineUnit(unit)}
      </text>
      <rect x="24" y={TOP} width="40" height={HEIGHT} fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.4" />
      {blocks.map((k) => {
        const high = Math.min((k + 1) * step, full);
        return (
          k % 2 === 0 && (
            <rect
              key={k}
              x="24"
              width={k % 10 === 0 ? 11 : 8}
              y={y(high)}
              height={y(k * step) - y(high)}
              fill={k % 10 < 5 ? "var(--ink)" : "var(--settled)"}
            />
          )
        );
      })}
      {blocks
        .filter((k) => k % 5 === 0 && k > 0)
        .filter((k) => rod.limit === null || Math.abs(y(k * step) - y(limit)) > 8) // the tolerance's own figure stands there
        .map((k) => ({
          k,
          words: unit === "m" ? `${Number((k * step).toFixed(2))}` : inFeet((k * step) / 1000, step < 2),
        }))
        .map(({ k, words }) => (
          <text
            key={k}
            x="61"
            y={y(k * step) + 4}
            fontSize={words.length > 3 ? 9.5 : 11}
            textAnchor="end"
            fill="var(--ink)"
            className="figures"
          >
            {words}
          </text>
        ))}
      {rod.limit === null && (
        <text x="128" y={TOP + 10} fontSize="11" textAnchor="end" fill="var(--quiet)">
          no limit
        </text>
      )}
      {rod.limit !== null && (
        <Tolerance
          y={y(limit)}
          words={fine(rod.limit, unit)}
          beside={inMillimetres(rod.limit, unit)}
          below={aboveLimit}
        />
      )}
      {(rod.seen ?? rod.planned) !== null && (
        <g className="slides" style={{ transform: `translateY(${y((rod.seen ?? rod.planned)! * scale)}px)` }}>
          <path d="M21 0L10 -6V6z" fill="var(--sheet)" stroke="var(--settled)" strokeWidth="1.8" />
        </g>
      )}
      {rod.done !== null && (
        <g className="slides" style={{ transform: `translateY(${y(rod.done * scale)}px)` }}>
          <path d="M67 0L79 -6.5V6.5z" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.2" />
          <path d="M67 0L79 6.5V0z" fill="var(--ink)" />
        </g>
      )}
      {marks.map((mark) => (
        <g key={mark.key} className="slides" style={{ transform: `translateY(${y(mark.value! * scale)}px)` }}>
          {mark.key === "predicted" ? (
            <path d="M67 0L79 -6.5V6.5z" fill="var(--ink)" />
          ) : (
            <path
              d="M67 0L78 -6V6z"
              fill="none"
              stroke="var(--quiet)"
              strokeDasharray={mark.key === "ghost" ? "2 2" : undefined}
            />
          )}
          {mark.key === "predicted" && (
            <text
              x="82"
              y={5 + aside}
              fontSize="15.5"
              fontWeight="700"
              fill="var(--ink)"
              className="figures"
              data-testid={`${rod.achieved === null ? "predicted" : "achieved"}-${rod.name}`}
            >
              {besideRod(mark.value, unit)}
            </text>
          )}
          {mark.key === "predicted" && unit !== "m" && (
            <text x="83" y={aside < 0 ? -16 : 17 + aside} fontSize="10" fill="var(--quiet)" className="figures">
              {inMillimetres(mark.value, unit)}
            </text>
          )}
        </g>
      ))}
      {rod.ghost !== null && rod.predicted !== null && Math.abs(rod.ghost - rod.predicted) > 0.00005 && (
        <text
          x="128"
          y={
            y(rod.predicted * scale) +
            (aboveLimit && y(rod.predicted * scale) > TOP + 12 ? -9 + 1.5 * aside : (unit === "m" ? 19 : 29) + aside)
          }
          fontSize="11"
          textAnchor="end"
          fill="var(--quiet)"
          className="figures"
        >
          was {besideRod(rod.ghost, unit)}
        </text>
      )}
    </>
  );
}

/** In a job in feet, the millimetres that stand small beside. */
function inMillimetres(value: number | null, unit: string): string {
  return unit === "m" ? "" : `${fine(value, "m")} mm`;
}

function Tolerance(props: { y: number; words: string; beside: string; below: boolean }) {
  const { y, words, beside, below } = props;
  return (
    <>
      {beside && (
        <text x="128" y={y + (below ? 24 : -15)} fontSize="10" textAnchor="end" fill="var(--quiet)" className="figures">
          {beside}
        </text>
      )}
      <line x1="14" x2="128" y1={y} y2={y} stroke="var(--decision)" strokeWidth="2.2" />
      <text
        x="128"
        y={y + (below ? 13 : -4)}
        fontSize="11.5"
        textAnchor="end"
        fill="var(--decision-text)"
        className="figures"
        fontWeight="600"
      >
        tol {words}
      </text>
    </>
  );
}

/** A graduation in feet, without a zero before the point, as on a staff: there is room for four letters. */
function inFeet(feet: number, fine: boolean): string {
  return feet.toFixed(fine ? 3 : 2).replace(/^0(?=\.\d{3})/, "");
}

export function niceStep(least: number): number {
  return [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000].find((s) => s >= least) ?? 1000;
}
