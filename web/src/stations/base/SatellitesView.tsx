import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, Problem, upload, type DaySky } from "../../api/client";
import { usePlan } from "../../app/plan";
import { SkyDay, type Span } from "../../plots/SkyDay";
import { SkyPlot } from "../../plots/SkyPlot";
import { Field, Select } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remove } from "../../ui/Remove";
import { clockOf, useDay } from "../day/useDay";
import { setUpName } from "../positioning";

/** What of the sky the base and every point sees on the day, and what hides it. */
export function SatellitesView() {
  const { jobId, plan, answer } = usePlan();
  const visit = plan.visits[0];
  const { day } = useDay(visit);
  const [about, setAbout] = useState("");
  const [almanac, setAlmanac] = useState<File | null>(null);
  const [date, setDate] = useState(visit?.date ?? "");
  const places = [
    ...plan.setups.filter((s) => s.mark).map((s) => ({ id: `setups/${s.id}`, name: setUpName(plan, s.id) })),
    ...plan.control.map((p) => ({ id: `control/${p.id}`, name: p.name })),
  ];
  const chosen = places.some((p) => p.id === about) ? about : places[0]?.id;
  const asked = { about: chosen ?? "", date };
  const sky = useQuery({
    queryKey: ["sky", jobId, answer.revision, chosen, date, almanac?.name, almanac?.lastModified],
    queryFn: () =>
      almanac
        ? upload<DaySky>(`/jobs/${jobId}/sky`, { ...asked, file: almanac })
        : call<DaySky>("GET", `/jobs/${jobId}/sky?${new URLSearchParams(asked)}`),
    retry: false,
    enabled: !!chosen && !!date,
    placeholderData: (previous) => previous,
  });
  if (!chosen) return <p className="text-quiet">Nothing stands anywhere yet: place the base on the sheet (O).</p>;
  const onDay = day && day.date === date ? day.tasks.filter((t) => t.kind === "leg" && t.start !== null) : [];
  const spans = onDay.map((t) => ({ name: t.words, first: t.start!, last: t.end! }));
  return (
    <section data-testid="satellites">
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Field label="Over">{(id) => <Select id={id} value={chosen} options={places} onChange={setAbout} />}</Field>
        <Field label="On">
          {(id) => (
            <input
              id={id}
              type="date"
              className="input"
              value={date}
              onChange={(event) => setDate(event.target.value)}
            />
          )}
        </Field>
        <Field label="By an almanac (YUMA) or ephemerides (RINEX navigation 3); none: nominal constellations">
          {(id) => (
            <span>
              <FileInput id={id} onFile={setAlmanac} />
              {almanac && (
                <>
                  {" "}
                  {almanac.name} <Remove onClick={() => setAlmanac(null)}>without {almanac.name}</Remove>
                </>
              )}
            </span>
          )}
        </Field>
      </div>
      {!date && <p className="mt-2 text-quiet">No visit has a date yet: choose one here, or in the Day.</p>}
      {sky.error && <ProblemNote problem={sky.error as Problem} />}
      {sky.data && <Seen key={`${sky.data.about} ${sky.data.date}`} sky={sky.data} spans={spans} />}
    </section>
  );
}

function Seen({ sky, spans }: { sky: DaySky; spans: Span[] }) {
  const start = spans[0]?.first ?? 12 * 60;
  const [moment, setMoment] = useState(() =>
    Math.max(
      0,
      sky.minutes.findIndex((m) => m >= start),
    ),
  );
  const minute = sky.minutes[moment]!;
  const { pdop, hdop, vdop } = sky;
  return (
    <>
      <p className="mt-2 font-medium">{sky.told}</p>
      {sky.caution && <p className="text-sm text-decision-text">{sky.caution}</p>}
      <div className="mt-1 flex flex-wrap items-start gap-x-6 gap-y-2">
        <div className="w-full max-w-[340px]">
          <SkyPlot sky={sky} moment={moment} />
          <p className="text-sm text-quiet">● GPS ■ GLONASS ▲ Galileo ◆ BeiDou; hollow: behind the horizon</p>
        </div>
        <div className="min-w-[300px] flex-1">
          <SkyDay sky={sky} spans={spans} moment={moment} onMoment={setMoment} />
          <label className="flex items-center gap-2 text-sm">
            <span className="figures">{clockOf(minute)}</span>
            <input
              type="range"
              className="min-w-24 flex-1"
              aria-label="moment of the day"
              min={0}
              max={sky.minutes.length - 1}
              value={moment}
              onChange={(event) => setMoment(Number(event.target.value))}
            />
          </label>
          <p className="figures text-sm">
            {sky.count[moment]} satellites of {sky.open_count[moment]} under an open sky · PDOP {figure(pdop[moment])} ·
            HDOP {figure(hdop[moment])} · VDOP {figure(vdop[moment])}
          </p>
          <table className="table mt-2 text-sm">
            <thead>
              <tr>
                <th>what it costs here</th>
                <th className="num">satellites lost, mean no.</th>
                <th className="num pl-3">at worst, no.</th>
              </tr>
            </thead>
            <tbody>
              {sky.costs.map((c) => (
                <tr key={c.words}>
                  <td>{c.words}</td>
                  <td className="num">{c.mean.toFixed(1)}</td>
                  <td className="num pl-3">{c.worst}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </div>
      <p className="mt-1 text-sm text-quiet">
        Clock of the site, {sky.utc_offset_h >= 0 ? "+" : ""}
        {sky.utc_offset_h} h to UTC. Solid: satellites seen; dotted: under an open sky; dark: PDOP; dashed: the ten that
        usual practice asks for.
      </p>
    </>
  );
}

function figure(dop: number | null | undefined): string {
  return dop === null || dop === undefined ? "–" : dop.toFixed(2);
}
