import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { call, type Coverage, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { type Covered, useOverlay } from "../../app/workbench/overlay";
import { useSelection } from "../../app/workbench/selection";
import { area, fine, fineUnit } from "../../lib/units";
import { ProblemNote } from "../../ui/ProblemNote";
import { Tabs } from "../../ui/Tabs";

const NAMES: Record<Covered["title"], string> = {
  images: "images",
  pulses: "pulses",
  ground: "from the ground",
  strips: "flight lines",
  pixels: "pixel",
};
type Drawing = Coverage["drawing"];

/** What the images really cover, over the ground as it is: in figures, and filling the sheet while it is looked at. */
export function CoverageView() {
  const { jobId, answer } = usePlan();
  const { setCovered } = useOverlay();
  const [wanted, show] = useState("");
  const { data, error, refetch } = useQuery<Coverage, Problem>({
    queryKey: ["coverage", jobId, answer.revision],
    queryFn: () => call("GET", `/jobs/${jobId}/flight/coverage`),
    staleTime: Infinity,
    placeholderData: (previous) => previous,
  });
  const layers = data ? (Object.keys(NAMES) as Covered["title"][]).filter((id) => id in data.drawing.layers) : [];
  const shown = layers.find((id) => id === wanted) ?? layers[0] ?? "images";
  useEffect(() => {
    setCovered(data ? coveredBy(data.drawing, shown) : null);
    return () => setCovered(null);
  }, [data, shown, setCovered]);
  if (error) return <ProblemNote problem={error} onClose={() => void refetch()} />;
  if (!data) return <p className="text-quiet">Counting…</p>;
  return (
    <section data-testid="coverage">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <Tabs
          label="On the sheet"
          tabs={layers.map((id) => ({ id, name: NAMES[id] }))}
          chosen={shown}
          onChoose={show}
        />
        <p>{(data.figures ?? data.density)?.words}</p>
      </div>
      {data.figures && (
        <div className="grid grid-cols-[minmax(0,1fr)] min-[900px]:grid-cols-[minmax(260px,1fr)_minmax(380px,1.5fr)] items-start gap-x-8">
          <Figures told={data.figures} />
          <Overlaps told={data.figures} />
        </div>
      )}
      {data.density && <Density told={data.density} />}
      <p className="mt-1 max-w-3xl text-sm text-quiet">
        Over the terrain, cell by cell. Ground that turns away is not seen, nor what lies behind other ground or behind
        an obstacle drawn with its outline and height (Site, features).
      </p>
    </section>
  );
}

function coveredBy(drawing: Drawing, title: Covered["title"]): Covered {
  const { e0, n0, step, rows, cols } = drawing;
  const { cells, worth, good, much_is_good } = drawing.layers[title]!;
  const bytes = Uint8Array.from(atob(cells), (c) => c.charCodeAt(0));
  return { title, e0, n0, step, rows, cols, cells: bytes, worth, good, muchIsGood: much_is_good };
}

/** What a scan puts on a square metre, and what it leaves. */
function Density({ told }: { told: NonNullable<Coverage["density"]> }) {
  const { unit } = usePlan().plan.brief;
  const rows: [string, number][] = [
    ["no line sees it", told.gaps_m2],
    ["of that hidden, or turned away", told.hidden_m2],
    ["too few returns from the ground", told.holes_m2 - told.gaps_m2],
    ["height not known", told.unknown_m2],
  ];
  const spreads = [
    ["pulses on a m²", told.pulses],
    ["returns from the ground on a m²", told.ground],
    ["strips", told.strips],
  ] as const;
  return (
    <table className="table max-w-xl text-sm">
      <thead>
        <tr>
          <th>on the ground</th>
          <th className="num">least</th>
          <th className="num">middle</th>
          <th className="num">most</th>
        </tr>
      </thead>
      <tbody>
        {spreads.map(([what, { least, median, most }]) => (
          <tr key={what}>
            <td>{what === "strips" ? "flight lines" : what}</td>
            {[least, median, most].map((value, k) => (
              <td key={k} className="num figures">
                {value < 10 ? Number(value.toFixed(1)) : value.toFixed(0)}
              </td>
            ))}
          </tr>
        ))}
        {rows.map(([words, m2]) => (
          <Missed key={words} words={words} m2={m2} of={told.site_m2} unit={unit} />
        ))}
      </tbody>
    </table>
  );
}

function Missed({ words, m2, of, unit }: { words: string; m2: number; of: number; unit: string }) {
  return (
    <tr>
      <td>{words}</td>
      <td className={`num figures ${m2 ? "text-decision-text" : ""}`} colSpan={3}>
        {m2 ? `${area(m2, unit)}, ${((100 * m2) / of).toFixed(1)} %` : "nothing"}
      </td>
    </tr>
  );
}

function Figures({ told }: { told: NonNullable<Coverage["figures"]> }) {
  const { unit } = usePlan().plan.brief;
  const rows: [string, number][] = [
    ["fewer than two images: not mapped", told.holes_m2],
    ["fewer than three flight lines", told.narrow_m2],
    ["only corners of frames", told.corners_m2],
    ["height not known", told.unknown_m2],
  ];
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th>seen by</th>
          <th className="num">least</th>
          <th className="num">middle</th>
          <th className="num">most</th>
        </tr>
      </thead>
      <tbody>
        {(["images", "strips"] as const).map((what) => (
          <tr key={what}>
            <td>{what === "strips" ? "flight lines" : what}</td>
            <td className="num figures">{told[what].least}</td>
            <td className="num figures">{told[what].median}</td>
            <td className="num figures">{told[what].most}</td>
          </tr>
        ))}
        {told.gsd && (
          <tr>
            <td>pixel on the ground, {fineUnit(unit)}</td>
            <td className="num figures">{fine(told.gsd.least, unit)}</td>
            <td className="num figures">{fine(told.gsd.median, unit)}</td>
            <td className="num figures">{fine(told.gsd.most, unit)}</td>
          </tr>
        )}
        {rows.map(([words, m2]) => (
          <Missed key={words} words={words} m2={m2} of={told.site_m2} unit={unit} />
        ))}
      </tbody>
    </table>
  );
}

/** Each flight's overlap as it was asked for, and as it is over the ground; the place of the least a click away. */
function Overlaps({ told }: { told: NonNullable<Coverage["figures"]> }) {
  const { plan } = usePlan();
  const { setGoTo } = useSelection();
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th>overlap, %</th>
          <th className="num">planned</th>
          <th className="num">in the middle</th>
          <th className="num">least</th>
          <th>where</th>
        </tr>
      </thead>
      <tbody>
        {told.overlaps.flatMap((one) => {
          const flight = plan.flights.find((f) => f.id === one.flight);
          if (flight?.sensor.kind !== "images") return [];
          const side = "side_overlap" in flight.pattern ? flight.pattern.side_overlap : 0;
          const rows = [
            ["forward", flight.sensor.forward_overlap, one.forward_median, one.forward, one.forward_at],
            ["side", side, one.side_median, one.side, one.side_at],
          ] as const;
          return rows.map(([what, planned, median, least, at]) => (
            <tr key={`${one.flight}-${what}`}>
              <td>
                {plan.flights.length > 1 && `${flight.name}: `}
                {what}
              </td>
              <td className="num figures">{planned}</td>
              <td className="num figures">{median?.toFixed(1) ?? "–"}</td>
              <td className="num figures">{least?.toFixed(1) ?? "–"}</td>
              <td>
                {at && (
                  <button className="cursor-pointer underline" onClick={() => setGoTo({ e: at[0], n: at[1] })}>
                    go there
                  </button>
                )}
              </td>
            </tr>
          ));
        })}
      </tbody>
    </table>
  );
}
