import { percent } from "../lib/units";

/** How much the acceptance test is worth with n checks: the spread of the height it will find, and the chance to pass. */
export function ChanceCurve({
  curve,
  asked,
  planned,
  name,
}: {
  curve: [number, number, number][];
  asked: number;
  planned: number;
  name: string;
}) {
  if (curve.length < 2) return null;
  const most = Math.max(curve.at(-1)![0], asked);
  const top = Math.max(...curve.map((c) => c[2]), 0.1);
  const x = (n: number) => 34 + ((n - 1) / (most - 1)) * 250;
  const spreadY = (v: number) => 84 - (v / top) * 66;
  const chanceY = (v: number) => 84 - v * 66;
  const line = (y: (c: [number, number, number]) => number) =>
    curve.map((c, k) => `${k ? "L" : "M"}${x(c[0]).toFixed(1)} ${y(c).toFixed(1)}`).join("");
  const last = curve.at(-1)!;
  const now = curve.find((c) => c[0] === planned);
  const half = curve.find((c) => c[2] <= 0.2);
  return (
    <figure className="mt-2">
      <figcaption className="text-sm">
        How many check points would make the test worth something? Solid: scatter of the RMSE V it finds, of its mean.
        Dashed: probability of passing.
      </figcaption>
      <svg
        viewBox="0 0 300 112"
        className="w-full max-w-[420px]"
        role="img"
        aria-label={`With ${last[0]} checks the RMSE V found scatters by ${percent(last[2])}, with 2 checks by ${percent(curve[1]![2])}`}
      >
        <path d="M34 14V84H286" fill="none" stroke="var(--ink)" />
        <path d={line((c) => spreadY(c[2]))} fill="none" stroke="var(--ink)" strokeWidth="2" />
        <path
          d={line((c) => chanceY(c[1]))}
          fill="none"
          stroke="var(--settled)"
          strokeWidth="1.8"
          strokeDasharray="5 3"
        />
        {now && (
          <>
            <circle
              cx={x(planned)}
              cy={spreadY(now[2])}
              r="3.6"
              fill="var(--sheet)"
              stroke="var(--ink)"
              strokeWidth="2"
            />
            <text x={x(planned) + 6} y={spreadY(now[2]) - 5} fontSize="10.5" fill="var(--ink)" fontWeight="600">
              planned: {percent(now[2])}
            </text>
          </>
        )}
        {asked <= most && (
          <>
            <line x1={x(asked)} x2={x(asked)} y1="14" y2="88" stroke="var(--decision)" strokeWidth="1.4" />
            <text
              x={x(asked)}
              y="10"
              fontSize="10"
              textAnchor={asked > most * 0.7 ? "end" : asked < most * 0.3 ? "start" : "middle"}
              fill="var(--decision-text)"
            >
              {name}: {asked}
            </text>
          </>
        )}
        {[1, Math.round(most / 2), most].map((n) => (
          <text key={n} x={x(n)} y="98" fontSize="11" textAnchor="middle" fill="var(--ink)" className="figures">
            {n}
          </text>
        ))}
        <text x="160" y="110" fontSize="10.5" textAnchor="middle" fill="var(--ink)">
          checks
        </text>
        <text x="30" y="20" fontSize="10.5" textAnchor="end" fill="var(--ink)" className="figures">
          {percent(top)}
        </text>
        <text x="30" y="86" fontSize="10.5" textAnchor="end" fill="var(--ink)" className="figures">
          0
        </text>
      </svg>
      <p className="text-sm text-quiet">
        {half
          ? `From ${half[0]} checks on, the height the test finds is its expectation within 20 %.`
          : `Even with all ${last[0]} checks the height the test finds scatters by ${percent(last[2])}: what they share does not average out, and few are few.`}
      </p>
    </figure>
  );
}
