import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, type Exposure, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { UNITS } from "../../lib/units";
import { Select } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Tabs } from "../../ui/Tabs";

const CLOUDS = [
  { id: "clear", name: "clear sky" },
  { id: "partly", name: "partly cloudy" },
  { id: "overcast", name: "overcast" },
];
const clock = (minute: number) =>
  `${String(Math.floor(minute / 60)).padStart(2, "0")}:${String(minute % 60).padStart(2, "0")}`;

/** Light through the day of the visit: which sensitivity the planned shutter wants, and how fast may be flown where it is too dark for it. */
export function LightView() {
  const { jobId, plan, answer } = usePlan();
  const flights = plan.flights.filter((f) => f.sensor.kind === "images");
  const [chosen, choose] = useState<string | null>(null);
  const [cloud, setCloud] = useState("clear");
  const [date, setDate] = useState(plan.visits.find((v) => v.date)?.date || new Date().toISOString().slice(0, 10));
  const flight = flights.find((f) => f.id === chosen) ?? flights[0];
  const { data, error } = useQuery<Exposure, Problem>({
    queryKey: ["light", jobId, answer.revision, flight?.id, cloud, date],
    queryFn: () => call("GET", `/jobs/${jobId}/flight/light?flight=${flight!.id}&cloud=${cloud}&date=${date}`),
    enabled: !!flight,
    staleTime: Infinity,
    placeholderData: (previous) => previous,
  });
  if (!flight) return <p className="text-quiet">A scanner brings its own light.</p>;
  return (
    <section data-testid="light">
      <div className="flex flex-wrap items-center gap-x-3">
        {flights.length > 1 && <Tabs label="Flight" tabs={flights} chosen={flight.id} onChoose={choose} />}
        <input
          type="date"
          className="input"
          aria-label="Day"
          value={date}
          onChange={(event) => event.target.value && setDate(event.target.value)}
        />
        <Select label="Cloud" value={cloud} options={CLOUDS} onChange={setCloud} />
      </div>
      {error ? <ProblemNote problem={error} /> : data ? <LightWords light={data} /> : <p>Reckoning…</p>}
    </section>
  );
}

function LightWords({ light }: { light: Exposure }) {
  const { unit } = usePlan().plan.brief;
  const per = unit === "m" ? 1 : 1 / UNITS.ft!.metres;
  return (
    <>
      {light.words.map((words) => (
        <p key={words}>{words}</p>
      ))}
      <table className="table max-w-2xl text-sm">
        <thead>
          <tr>
            <th className="num">clock</th>
            <th className="num">sun, °</th>
            <th className="num">light, lux</th>
            <th className="num">ISO as planned</th>
            <th className="num">shutter at the highest ISO</th>
            <th className="num">then at most, {unit === "m" ? "m" : "ft"}/s</th>
          </tr>
        </thead>
        <tbody>
          {light.at.map((row) => (
            <tr key={row.minute} className={row.enough ? "" : "text-decision-text"}>
              <td className="num figures">{clock(row.minute)}</td>
              <td className="num figures">{row.sun.toFixed(0)}</td>
              <td className="num figures">{row.lux.toFixed(0)}</td>
              <td className="num figures">{row.iso.toFixed(0)}</td>
              <td className="num figures">{row.enough ? "" : `1/${(1 / row.shutter).toFixed(0)} s`}</td>
              <td className="num figures">{row.enough ? "" : (row.speed * per).toFixed(1)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 max-w-3xl text-sm text-quiet">
        Daylight after IES RP-21, exposure by incident light after ISO 2720; speeds blur half a pixel. The camera&apos;s
        opening and highest ISO stand under kit. Dark or bright ground wants half a stop more or less.
      </p>
    </>
  );
}
