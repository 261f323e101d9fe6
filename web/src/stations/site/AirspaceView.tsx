import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Controller, useForm } from "react-hook-form";
import { call, type Airspace, type Edit, type Leave, type SiteFeature } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, removed, valueAt } from "../../lib/edits";
import { length, UNITS } from "../../lib/units";
import { Field, LengthField, Select } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { useDoing } from "../../ui/useDoing";

const STATES: Record<string, string> = {
  not: "not asked",
  requested: "asked for, not decided",
  granted: "granted",
  refused: "refused",
};
const CHANGES: Record<string, string> = {
  new: "◆ new",
  changed: "◆ changed",
  same: "● as the plan has it",
  gone: "◇ gone",
};

/** The airspace over the site: looked up, taken into the plan, leave asked for; and looked up again on the day. */
export function AirspaceView() {
  const { jobId, plan, edit } = usePlan();
  const { doing, problem, clear } = useDoing();
  const [authority, setAuthority] = useState("");
  const [found, setFound] = useState<Airspace | null>(null);
  const authorities = useQuery({
    queryKey: ["authorities", jobId],
    queryFn: () => call<string[]>("GET", `/jobs/${jobId}/authorities`),
    staleTime: Infinity,
  });
  const names = (authorities.data ?? []).map((name) => ({ id: name, name }));
  const asked = authority || names[0]?.id || "";
  const query = `authority=${encodeURIComponent(asked)}`;
  const lookUp = () => doing(async () => setFound(await call<Airspace>("GET", `/jobs/${jobId}/airspace?${query}`)));
  const take = () =>
    doing(async () => {
      const edits = found!.zones.flatMap(({ feature, change }): Edit[] => {
        const path = `site/features/${feature.id}`;
        if (change === "new") return [added("site/features", feature)];
        if (change === "gone") return [removed(plan, path)];
        const { vertices, height, zone, name } = feature;
        return fieldEdits(plan, path, { vertices, height, zone, name });
      });
      const looked = fieldEdits(plan, "site", { airspace_looked_up: found!.looked_up });
      if (await edit([...edits, ...looked])) setFound(null);
    });
  const zones = plan.site.features.filter((f) => f.kind === "airspace");
  return (
    <section data-testid="airspace">
      <div className="flex flex-wrap items-center gap-3">
        {names.length > 1 && <Select label="Authority" value={asked} options={names} onChange={setAuthority} />}
        <button className="button" disabled={!asked} onClick={() => void lookUp()}>
          look up the airspace
        </button>
        <span className="text-sm">
          {plan.site.airspace_looked_up
            ? `Last looked up on ${plan.site.airspace_looked_up}. Look again on the day, before take-off.`
            : "Nobody has looked it up for this plan yet."}
        </span>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {found && (
        <div className="mt-1 border border-decision bg-sheet p-2 text-sm" role="status">
          <p className="font-bold">
            {found.zones.length ? `${found.zones.length} zones about the site:` : "No zone about the site."}
          </p>
          {found.zones.map(({ feature, change, words }) => (
            <p key={feature.id}>
              {CHANGES[change]}: <strong>{feature.name}</strong>, {ceiling(feature, plan.brief.unit)}
              {words && ` (${words})`}
            </p>
          ))}
          <button className="button mt-1" onClick={() => void take()}>
            {found.zones.some((z) => z.change !== "same") ? "Use this in the plan" : "Note that it was looked up"}
          </button>{" "}
          <button className="button mt-1" onClick={() => setFound(null)}>
            Discard
          </button>
        </div>
      )}
      {zones.length > 0 && (
        <table className="table mt-2 text-sm">
          <thead>
            <tr>
              <th>zone</th>
              <th>ceiling above ground</th>
              <th>holds</th>
              <th>authority</th>
              <th>leave</th>
            </tr>
          </thead>
          <tbody>
            {zones.map((zone) => (
              <tr key={zone.id}>
                <td>
                  <strong>{zone.name}</strong> <span className="text-quiet">{zone.zone?.number}</span>
                </td>
                <td>{ceiling(zone, plan.brief.unit)}</td>
                <td>{zone.zone?.hours ? `${zone.zone.hours[0]} to ${zone.zone.hours[1]}` : "always"}</td>
                <td>{zone.zone?.authority}</td>
                <td>{zone.zone && <LeaveOf zone={zone} authority={asked} doing={doing} />}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="mt-2 text-sm text-quiet">
        Kardo reminds; it does not authorise. Aviation law of the place comes first, and a zone that is not listed here
        may still be one.
      </p>
    </section>
  );
}

function ceiling(zone: SiteFeature, unit: string): string {
  const most = zone.zone ? zone.zone.ceiling : zone.height;
  if (most === null || most === undefined) return "no ceiling";
  return most === 0 ? "nothing flies unasked" : `${length(most, unit, 0)} ${UNITS[unit]!.short}`;
}

interface LeaveProps {
  zone: SiteFeature;
  authority: string;
  doing: (work: () => Promise<unknown>) => Promise<boolean>;
}

/** Leave for one zone: asked for with height, day and hours; and what became of it. */
function LeaveOf({ zone, authority, doing }: LeaveProps) {
  const { jobId, plan, edit } = usePlan();
  const [asking, setAsking] = useState(false);
  const path = `site/features/${zone.id}/zone`;
  const { asked, reference } = zone.zone!;
  const note = async (answer: Leave) => {
    const before = valueAt(plan, path) as object;
    await edit([{ path, before, after: { ...before, asked: answer.state, reference: answer.reference } }]);
  };
  const noted = (what: () => Promise<Leave>) =>
    doing(async () => {
      await note(await what());
      setAsking(false);
    });
  const ask = (typed: Asked) =>
    noted(() => call<Leave>("POST", `/jobs/${jobId}/airspace/ask`, { feature: zone.id, authority, ...typed }));
  const look = () =>
    noted(() =>
      call<Leave>(
        "GET",
        `/jobs/${jobId}/airspace/asked/${encodeURIComponent(reference ?? "")}?authority=${encodeURIComponent(authority)}`,
      ),
    );
  return (
    <div>
      <span className={asked === "granted" ? "text-settled" : asked === "refused" ? "text-decision-text" : ""}>
        {asked === "granted" ? "● " : asked === "refused" ? "◆ " : ""}
        {STATES[asked ?? "not"]}
      </span>{" "}
      {reference && <span className="figures text-quiet">{reference}</span>}{" "}
      {asked === "requested" && (
        <button className="button text-sm" onClick={() => void look()}>
          what became of it?
        </button>
      )}
      {asked !== "requested" && (
        <button className="button text-sm" aria-expanded={asking} onClick={() => setAsking(!asking)}>
          ask for leave…
        </button>
      )}
      {asking && <AskLeave ask={ask} />}
    </div>
  );
}

interface Asked {
  height: number;
  date: string;
  first: string;
  last: string;
}

/** How high, on which day and when one wants to fly in a zone. */
function AskLeave({ ask }: { ask: (typed: Asked) => Promise<unknown> }) {
  const { plan } = usePlan();
  const { register, handleSubmit, control, formState } = useForm<Asked>({
    defaultValues: {
      height: Math.max(...plan.flights.map((f) => f.height_m), 0) || 100,
      date: plan.visits.find((v) => v.date)?.date ?? "",
      first: "08:00",
      last: "16:00",
    },
  });
  return (
    <form className="mt-1 flex flex-wrap items-end gap-2" onSubmit={(event) => void handleSubmit(ask)(event)}>
      <Field label="up to, above ground">
        {(id) => (
          <Controller
            control={control}
            name="height"
            rules={{ required: true }}
            render={({ field: { value, onChange } }) => (
              <LengthField id={id} value={value} unit={plan.brief.unit} decimals={0} width="w-16" onCommit={onChange} />
            )}
          />
        )}
      </Field>
      <Field label="on">
        {(id) => <input id={id} className="input" type="date" {...register("date", { required: true })} />}
      </Field>
      <Field label="from">{(id) => <input id={id} className="input" type="time" {...register("first")} />}</Field>
      <Field label="to">{(id) => <input id={id} className="input" type="time" {...register("last")} />}</Field>
      <button className="button" disabled={!formState.isValid}>
        ask
      </button>
    </form>
  );
}
