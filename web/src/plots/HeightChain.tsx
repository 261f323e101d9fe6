import type { SetUpHeights } from "../api/client";
import { length, UNITS } from "../lib/units";

/** Geoid, ellipsoid, mark, ARP and phase centre, not to scale: every number with its system. */
export function HeightChain({ heights, unit, support }: { heights: SetUpHeights; unit: string; support: string }) {
  const short = UNITS[unit]!.short;
  const f = (v: number) => length(v, unit, 4);
  const rows = [
    { y: 34, name: "phase centre (APC)", above: heights.apc, ellipsoidal: heights.apc_ellipsoidal },
    { y: 74, name: "reference point (ARP)", above: heights.arp, ellipsoidal: heights.arp_ellipsoidal },
    { y: 154, name: `mark ${heights.mark_name}`, above: heights.mark, ellipsoidal: heights.mark_ellipsoidal },
  ];
  const geoidless = heights.separation === 0;
  return (
    <svg
      viewBox="0 0 560 250"
      className="w-full max-w-[620px]"
      role="img"
      aria-label={`Height chain on ${heights.mark_name}`}
    >
      <g fontSize="11.5" fill="var(--quiet)">
        <text x="352" y="14" textAnchor="end">
          {geoidless ? "" : `${heights.system}, ${short}`}
        </text>
        <text x="470" y="14" textAnchor="end">
          ellipsoidal, {short}
        </text>
      </g>
      {rows.map((r) => (
        <g key={r.name}>
          <line x1="20" x2="480" y1={r.y} y2={r.y} stroke="var(--hairline)" />
          <text x="146" y={r.y - 4} fontSize="12.5" fill="var(--ink)">
            {r.name}
          </text>
          {!geoidless && (
            <text x="352" y={r.y - 4} fontSize="13" textAnchor="end" fill="var(--ink)" className="figures">
              {f(r.above)}
            </text>
          )}
          <text x="470" y={r.y - 4} fontSize="13" textAnchor="end" fill="var(--ink)" className="figures">
            {f(r.ellipsoidal)}
          </text>
        </g>
      ))}
      <g transform="translate(-22 0)">
        <path d="M62 34v40M48 74h28M62 74L46 154M62 74L78 154" stroke="var(--ink)" strokeWidth="2" fill="none" />
        <path d="M44 34h36l-5 -8h-26z" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.6" />
        <path d="M62 154l-6 9h12z" fill="var(--ink)" />
      </g>
      <Arrow x={120} from={74} to={34} label={`${f(heights.apc_above_arp)}`} />
      <Arrow x={120} from={154} to={74} label={`${f(heights.arp_above_mark)}`} />
      <text x="146" y="118" fontSize="11.5" fill="var(--quiet)">
        {support === "tripod"
          ? `the mean of ${heights.readings.map((r) => `${f(r.metres)} ${r.measured_to}`).join(", ")}`
          : "fixed-height pole, mark to ARP"}
        {heights.adapter > 0 && `, over an adapter of ${f(heights.adapter)}`}
      </text>
      <path d="M20 184 q60 -7 120 0 t120 0 t120 0 t100 0" stroke="var(--settled)" fill="none" strokeWidth="1.6" />
      <text x="146" y="178" fontSize="12.5" fill="var(--settled)">
        {geoidless ? "" : `geoid, 0 of ${heights.system}`}
      </text>
      <line x1="20" x2="480" y1="226" y2="226" stroke="var(--ink)" strokeWidth="1.6" />
      <text x="146" y="220" fontSize="12.5" fill="var(--ink)">
        ellipsoid
      </text>
      {!geoidless && <Arrow x={120} from={226} to={184} label={`N ${f(heights.separation)}`} />}
    </svg>
  );
}

function Arrow({ x, from, to, label }: { x: number; from: number; to: number; label: string }) {
  return (
    <g>
      <path
        d={`M${x} ${from}V${to}M${x - 3} ${to + 5}l3 -5l3 5M${x - 3} ${from - 5}l3 5l3 -5`}
        stroke="var(--ink)"
        fill="none"
      />
      <text
        x={x - 6}
        y={(from + to) / 2 + 4}
        fontSize="12"
        textAnchor="end"
        fill="var(--ink)"
        className="figures"
        stroke="var(--paper)"
        strokeWidth="4"
        paintOrder="stroke"
      >
        {label}
      </text>
    </g>
  );
}
