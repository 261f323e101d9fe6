import { useEffect, useState } from "react";
import type { Ramp } from "./symbols";

const NEAR = { width: 240, height: 110 };

/** What the shading means, with the break at the tolerance. */
export function Legend({
  ramp,
  exaggeration,
  holder,
  unit,
}: {
  ramp: Ramp;
  exaggeration: number;
  holder: React.RefObject<HTMLDivElement | null>;
  unit: string;
}) {
  const [left, setLeft] = useState(false);
  useEffect(() => {
    // it steps aside when the pointer comes near, so that nothing under it is out of reach
    const sheet = holder.current;
    if (!sheet) return;
    const aside = (event: PointerEvent) => {
      const box = sheet.getBoundingClientRect();
      if (event.clientY < box.bottom - NEAR.height) return;
      if (event.clientX > box.right - NEAR.width) setLeft(true);
      if (event.clientX < box.left + NEAR.width) setLeft(false);
    };
    sheet.addEventListener("pointermove", aside);
    return () => sheet.removeEventListener("pointermove", aside);
  }, [holder]);
  const low = ramp.edges[0]!;
  const high = ramp.edges.at(-1)!;
  const span = high - low || 1;
  const x = (value: number) => ((value - low) / span) * 170;
  const inside = ramp.limit > low && ramp.limit < high;
  const at = Math.min(Math.max(x(ramp.limit), 28), 142); // of the limit's label, which gives way to no edge
  const figure = (value: number) => value.toFixed(/^(images|strips)/.test(ramp.title) ? 0 : unit === "m" ? 1 : 3);
  return (
    <div
      className={`sheet-legend pointer-events-none absolute bottom-[32px] ${left ? "left-[150px]" : "right-[16px]"} border border-hairline bg-sheet/95 px-2 py-1 text-xs`}
    >
      <p className="figures">{ramp.title}</p>
      <svg width="190" height="30" viewBox="-8 0 190 30" aria-hidden>
        {ramp.colours.map((colour, k) => (
          <rect
            key={k}
            x={x(ramp.edges[k]!)}
            width={Math.max(1, x(ramp.edges[k + 1]!) - x(ramp.edges[k]!))}
            height="11"
            fill={colour}
          />
        ))}
        {inside && <line x1={x(ramp.limit)} x2={x(ramp.limit)} y1="-1" y2="16" stroke="var(--ink)" strokeWidth="2" />}
        {!(inside && at < 64) && (
          <text x="-6" y="25" fontSize="11" fill="var(--ink)" className="figures">
            {figure(low)}
          </text>
        )}
        {inside && (
          <text x={at} y="26" fontSize="11" textAnchor="middle" fill="var(--ink)" fontWeight="700" className="figures">
            {ramp.limitName} {figure(ramp.limit)}
          </text>
        )}
        {!(inside && at > 108) && (
          <text x="176" y="25" fontSize="11" textAnchor="end" fill="var(--ink)" className="figures">
            {figure(high)}
          </text>
        )}
      </svg>
      {!ramp.limitName && <p className="figures">no limit on single heights</p>}
      {!inside && ramp.limitName && (
        <p className="figures">
          all {ramp.limit >= high !== !!ramp.largeIsGood ? "inside" : "outside"} {ramp.limitName} {figure(ramp.limit)}
        </p>
      )}
      {exaggeration > 0 && <p className="text-quiet">ellipses × {exaggeration.toLocaleString("en-GB")}</p>}
    </div>
  );
}
