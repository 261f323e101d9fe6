import { useState } from "react";
import {
  call,
  type Mark,
  type Network,
  type Reading,
  type SetUp,
  type SetUpHeights,
  type Edit,
} from "../../api/client";
import { usePlan } from "../../app/plan";
import { AccuracyAs, useAccuracyAs } from "./accuracyAs";
import { Certificate } from "./Certificate";
import { useSelection } from "../../app/workbench/selection";
import { added, fieldEdits, freeName, removed } from "../../lib/edits";
import { fine, fineUnit, length } from "../../lib/units";
import { Field, FineField, LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { ActionsHead, Remove } from "../../ui/Remove";
import { Tabs } from "../../ui/Tabs";
import { allSources, setUpName } from "../positioning";
import { NewAntenna, type Figures } from "./NewAntenna";
import { useDoing } from "../../ui/useDoing";

const SUPPORTS = [
  { id: "tripod", name: "tripod" },
  { id: "fixed_pole", name: "fixed-height pole" },
];
const POLE_TO = [
  { id: "arp", name: "the reference point (ARP)" },
  { id: "apc", name: "the phase centre (APC)" },
];
const KNOWN = [
  { id: "published", name: "published" },
  { id: "local", name: "in the local grid" },
  { id: "static", name: "static log" },
  { id: "here", name: "autonomous (“here”)" },
];

/** Standings of a base, the marks under them, and correction networks. */
export function SetUpsView() {
  const { plan, edit } = usePlan();
  const [chosen, choose] = useState<string | null>(null);
  const setup = plan.setups.find((s) => s.id === chosen) ?? plan.setups[0];
  const used = new Set(allSources(plan).flatMap((hung) => ("setup" in hung ? [hung.setup] : [])));
  const another = () => {
    const id = freeName("B", plan.setups);
    const antenna = setup?.antenna ?? plan.kit.antennas[0]?.id;
    const row = { id, name: `base ${plan.setups.length + 1}`, mark: null, support: "tripod", antenna, readings: [] };
    void edit([added("setups", row)]);
    choose(id);
  };
  return (
    <>
      <Tabs
        label="Set-ups"
        tabs={plan.setups.map((s) => ({ id: s.id, name: setUpName(plan, s.id) }))}
        chosen={setup?.id}
        onChoose={choose}
      >
        <button className="button text-sm" onClick={another}>
          another set-up
        </button>
        {setup && plan.setups.length > 1 && (
          <Remove
            neededBy={used.has(setup.id) ? "a flight or control is positioned from it" : undefined}
            onClick={() => void edit([removed(plan, `setups/${setup.id}`)])}
          >
            remove {setup.name}
          </Remove>
        )}
      </Tabs>
      {!plan.setups.some((s) => s.mark) && <FromAService />}
      {setup && <OneSetUp key={setup.id} setup={setup} />}
      <Marks />
      <Networks />
    </>
  );
}

/** A job by network corrections needs no base and no mark. */
function FromAService() {
  const { jobId, plan, edit } = usePlan();
  const { doing, problem, clear } = useDoing();
  const served = allSources(plan).some((hung) => hung.on === "service");
  const take = async () => {
    await doing(async () => {
      await edit(await call<Edit[]>("GET", `/jobs/${jobId}/scheme/network_virtual`));
    });
  };
  if (served) return null;
  return (
    <>
      <p className="mt-1 flex flex-wrap items-center gap-2">
        No base of your own?
        <button className="button" onClick={() => void take()}>
          Take corrections from a service
        </button>
        <span className="text-sm text-quiet">
          flights and control are then positioned from a network; no mark is needed
        </span>
      </p>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
    </>
  );
}

const OTHER = "another antenna";

/** One standing of a base: which mark, how, and the heights it makes. */
function OneSetUp({ setup }: { setup: SetUp }) {
  const { plan, summary, catalogue, edit } = usePlan();
  const { unit } = plan.brief;
  const path = `setups/${setup.id}`;
  const set = (change: Partial<SetUp>) => void edit(fieldEdits(plan, path, change));
  const chain = summary?.heights.find((h) => h.setup === setup.id);
  const fault = summary?.faults[`setup/${setup.id}`];
  const antennas = [
    ...plan.kit.antennas,
    ...catalogue.antennas.filter((a) => !plan.kit.antennas.some((own) => own.id === a.id)),
  ];
  const [making, setMaking] = useState(false);
  const takeNew = (figures: Figures) => {
    const id = freeName("A", antennas);
    setMaking(false);
    void edit([added("kit/antennas", { id, ...figures }), ...fieldEdits(plan, path, { antenna: id })]);
  };
  const takeAntenna = (antenna: string) => {
    const shelf = plan.kit.antennas.some((a) => a.id === antenna)
      ? undefined
      : catalogue.antennas.find((a) => a.id === antenna);
    void edit([...(shelf ? [added("kit/antennas", shelf)] : []), ...fieldEdits(plan, path, { antenna })]);
  };
  return (
    <>
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Field label="Name">
          {(id) => <TextField id={id} value={setup.name} onCommit={(name) => set({ name })} width="w-32" />}
        </Field>
        <Field label="Base stands on">
          {(id) => (
            <Select
              id={id}
              value={setup.mark ?? ""}
              options={[{ id: "", name: "no mark chosen" }, ...plan.marks]}
              onChange={(mark) => set({ mark: mark || null })}
            />
          )}
        </Field>
        <Field label="Set-up">
          {(id) => (
            <Select
              id={id}
              value={setup.support}
              options={SUPPORTS}
              onChange={(support) => set({ support, readings: setup.readings.slice(0, 1) })}
            />
          )}
        </Field>
        {setup.support === "fixed_pole" && (
          <Field label="Its length is stated to">
            {(id) => (
              <Select id={id} value={setup.pole_to} options={POLE_TO} onChange={(pole_to) => set({ pole_to })} />
            )}
          </Field>
        )}
        <Field label="Antenna">
          {(id) => (
            <Select
              id={id}
              value={setup.antenna}
              options={[...antennas, { id: OTHER, name: "another…" }]}
              onChange={(antenna) => (antenna === OTHER ? setMaking(true) : takeAntenna(antenna))}
            />
          )}
        </Field>
        <Field label={`Adapter, ${unitName(unit)}`}>
          {(id) => (
            <LengthField
              id={id}
              value={setup.adapter}
              unit={unit}
              decimals={4}
              onCommit={(adapter) => adapter !== null && set({ adapter })}
            />
          )}
        </Field>
      </div>
      <Readings setup={setup} chain={chain} onChange={(readings) => set({ readings })} />
      {making && <NewAntenna onTake={takeNew} />}
      <p className="mt-2 figures">
        {chain ? (
          <>
            <span className="text-quiet">antenna reference point:</span> {length(chain.arp_above_mark, unit, 4)}{" "}
            {unitName(unit)} over the mark, {length(chain.arp_ellipsoidal, unit, 4)} {unitName(unit)} ellipsoidal
          </>
        ) : (
          <span className="text-quiet">
            {fault?.what} {fault?.mend}
          </span>
        )}
      </p>
    </>
  );
}

const WAYS: { id: Reading["measured_to"]; name: string }[] = [
  { id: "slant", name: "slant to the rim" },
  { id: "vertical", name: "vertical to the reference point (ARP)" },
];
const MOST_READINGS = 6;

/** What is read of the antenna's height, each as it was typed and as the vertical height that it comes to. */
function Readings(props: { setup: SetUp; chain?: SetUpHeights; onChange: (readings: Reading[]) => void }) {
  const { setup, chain, onChange } = props;
  const { unit } = usePlan().plan.brief;
  const { readings } = setup;
  const tripod = setup.support === "tripod";
  const set = (k: number, change: Partial<Reading>) =>
    onChange(readings.map((r, j) => (j === k ? { ...r, ...change } : r)));
  const next: Reading = {
    metres: readings.at(-1)?.metres ?? 1.6,
    measured_to: readings.at(-1)?.measured_to ?? "slant",
    typed: "",
  };
  return (
    <>
      {readings.length > 0 && (
        <table className="table mt-2 w-auto text-sm">
          <thead>
            <tr>
              <th>antenna height</th>
              <th className="num">read, {unitName(unit)}</th>
              <th>measured</th>
              <th>as typed</th>
              <th className="num">mark to ARP, {unitName(unit)}</th>
              <th className="num">from the mean, {fineUnit(unit)}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {readings.map((r, k) => {
              const up = chain?.verticals[k];
              return (
                <tr key={k}>
                  <td>reading {k + 1}</td>
                  <td className="num">
                    <LengthField
                      label={`${tripod ? "Antenna height" : "Pole height"} ${k + 1}`}
                      value={r.metres}
                      unit={unit}
                      decimals={4}
                      onCommit={(metres, typed) => metres !== null && set(k, { metres, typed: typed.slice(0, 40) })}
                    />
                  </td>
                  <td>
                    {tripod ? (
                      <Select
                        label={`How height ${k + 1} is read`}
                        value={r.measured_to}
                        options={WAYS}
                        onChange={(measured_to) => set(k, { measured_to })}
                      />
                    ) : (
                      "the pole's length"
                    )}
                  </td>
                  <td className="text-quiet">{r.typed}</td>
                  <td className="num">{up === undefined ? "" : length(up, unit, 4)}</td>
                  <td className="num">
                    {up === undefined || readings.length < 2 ? "" : fine(up - chain!.arp_above_mark, unit)}
                  </td>
                  <td>
                    <Remove onClick={() => onChange(readings.filter((_, j) => j !== k))} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {readings.length < (tripod ? MOST_READINGS : 1) && (
        <button className="button mt-2 text-sm" onClick={() => onChange([...readings, next])}>
          {readings.length ? "another reading" : "plan a height"}
        </button>
      )}
    </>
  );
}

const axisOf = (key: "sigma_h" | "sigma_v") => (key === "sigma_h" ? "h" : "v");
const scaled = (value: number | undefined, factor: number) => (value === undefined ? undefined : value * factor);

function Marks() {
  const { plan, summary, catalogue, edit } = usePlan();
  const { selected, select, setPlacing } = useSelection();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const set = (mark: Mark, change: Partial<Mark>) => void edit(fieldEdits(plan, `marks/${mark.id}`, change));
  const standsOn = new Map(plan.setups.map((s) => [s.id, s.mark]));
  const used = new Set(standsOn.values());
  const [typing, setTyping] = useState(false);
  const as = useAccuracyAs();
  return (
    <section className="mt-3">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <h3 className="font-bold">Marks</h3>
        <button className="button text-sm" onClick={() => setPlacing("base")}>
          new mark on the sheet (O)
        </button>
        <button className="button text-sm" aria-expanded={typing} onClick={() => setTyping(!typing)}>
          new mark from its certificate…
        </button>
        <span className="text-sm text-quiet">accuracy:</span> <AccuracyAs />
      </div>
      {typing && <Certificate onDone={() => setTyping(false)} />}
      <table className="table text-sm">
        <thead>
          <tr>
            <th>mark</th>
            <th className="num">E, {u}</th>
            <th className="num">N, {u}</th>
            <th className="num">H of the mark, {u}</th>
            <th>known</th>
            <th className="num">
              {as.words.h}, {fineUnit(unit)}
            </th>
            <th className="num">
              {as.words.v}, {fineUnit(unit)}
            </th>
            <ActionsHead />
          </tr>
        </thead>
        <tbody>
          {plan.marks.map((m) => (
            <tr
              key={m.id}
              className={selected === `marks/${m.id}` ? "bg-decision-wash" : ""}
              onFocus={() => select(`marks/${m.id}`)}
            >
              <td>
                <TextField label={`Name of ${m.name}`} value={m.name} onCommit={(name) => set(m, { name })} />
              </td>
              {(["e", "n"] as const).map((key) => (
                <td key={key} className="num">
                  <LengthField
                    label={`${key.toUpperCase()} of ${m.name}`}
                    value={m[key]}
                    unit={unit}
                    width="w-[7.6rem]"
                    onCommit={(v) => v !== null && set(m, { [key]: v })}
                  />
                </td>
              ))}
              <td className="num" title={m.h === null ? "the ground's height; type the mark's own" : "typed"}>
                <LengthField
                  label={`H of ${m.name}`}
                  value={m.h ?? summary?.heights.find((h) => standsOn.get(h.setup) === m.id)?.mark ?? null}
                  quiet={m.h === null}
                  unit={unit}
                  width="w-32"
                  optional
                  placeholder="the ground's"
                  onCommit={(h) => set(m, { h })}
                />
              </td>
              <td className="whitespace-nowrap">
                <Select
                  label={`How ${m.name} is known`}
                  value={m.known}
                  options={KNOWN}
                  onChange={(known) => set(m, { known })}
                />
                {m.known === "static" && (
                  <>
                    {" "}
                    <NumberField
                      label={`Hours logged on ${m.name}`}
                      value={m.hours}
                      width="w-14"
                      onCommit={(hours) => set(m, { hours })}
                    />{" "}
                    h
                  </>
                )}
              </td>
              {(["sigma_h", "sigma_v"] as const).map((key) => (
                <td key={key} className="num">
                  {m.known === "published" || m.known === "local" ? (
                    <FineField
                      label={`${key} of ${m.name}`}
                      value={m[key] * as.factor[axisOf(key)]}
                      unit={unit}
                      width="w-16"
                      onCommit={(v) => set(m, { [key]: v / as.factor[axisOf(key)] })}
                    />
                  ) : (
                    <span className="italic" title="follows from how the mark is known; see the assumptions">
                      {fine(
                        scaled(summary?.mark_sigma[m.id]?.[key === "sigma_h" ? 0 : 2], as.factor[axisOf(key)]),
                        unit,
                      )}
                    </span>
                  )}
                </td>
              ))}
              <td>
                <Remove
                  neededBy={used.has(m.id) ? "in use" : undefined}
                  onClick={() => void edit([removed(plan, `marks/${m.id}`)])}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {plan.marks
        .filter((m) => m.known === "here" && used.has(m.id))
        .map((m) => (
          <p key={m.id} className="mt-1 text-sm" data-testid={`shift-of-${m.id}`}>
            {m.name} is taken “here”
            {m.shift_hours == null ? (
              <>
                : nothing is planned to shift it afterwards.{" "}
                <button className="button text-sm" onClick={() => set(m, { shift_hours: catalogue.full_session_h })}>
                  plan a shift
                </button>
              </>
            ) : (
              <>
                ; shifted afterwards by{" "}
                <NumberField
                  label={`Hours of its own log that shift ${m.name}`}
                  value={m.shift_hours}
                  width="w-14"
                  onCommit={(hours) => set(m, { shift_hours: hours })}
                />{" "}
                h of its own log. <Remove onClick={() => set(m, { shift_hours: null })}>no shift</Remove>
              </>
            )}
          </p>
        ))}
      {!plan.marks.length && (
        <p className="mt-1 text-quiet">
          No mark yet. Press O, click on the sheet, then type its published coordinates here.
        </p>
      )}
    </section>
  );
}

/** Correction services: each has an offset that all its positions share. */
function Networks() {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const set = (n: Network, change: Partial<Network>) =>
    void edit(fieldEdits(plan, `correction_services/${n.id}`, change));
  const another = () => {
    const id = freeName("N", plan.correction_services);
    void edit([
      added("correction_services", {
        id,
        name: `service ${plan.correction_services.length + 1}`,
        sigma_h: 0.01,
        sigma_v: 0.02,
      } as Network),
    ]);
  };
  const used = new Set(allSources(plan).flatMap((hung) => ("service" in hung ? [hung.service] : [])));
  return (
    <section className="mt-3">
      <div className="flex items-baseline gap-3">
        <h3 className="font-bold">Correction networks</h3>
        <button className="button text-sm" onClick={another}>
          add a service
        </button>
        <span className="text-sm text-quiet">the offset that all its positions share, one standard deviation</span>
      </div>
      {plan.correction_services.length > 0 && (
        <table className="table max-w-xl">
          <thead>
            <tr>
              <th>service</th>
              <th className="num">σ H, {fineUnit(unit)}</th>
              <th className="num">σ V, {fineUnit(unit)}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {plan.correction_services.map((n) => (
              <tr key={n.id}>
                <td>
                  <TextField label={`Name of ${n.name}`} value={n.name} onCommit={(name) => set(n, { name })} />
                </td>
                {(["sigma_h", "sigma_v"] as const).map((key) => (
                  <td key={key} className="num">
                    <FineField
                      label={`${key} of ${n.name}`}
                      value={n[key]}
                      unit={unit}
                      width="w-16"
                      onCommit={(v) => set(n, { [key]: v })}
                    />
                  </td>
                ))}
                <td>
                  <Remove
                    neededBy={used.has(n.id) ? "a flight or control is positioned from it" : undefined}
                    onClick={() => void edit([removed(plan, `correction_services/${n.id}`)])}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
