import { useState } from "react";
import type { SetUp } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits, freeName } from "../../lib/edits";
import { length } from "../../lib/units";
import { Field, LengthField, Select, TextField, unitName } from "../../ui/fields";
import { AntennaHeights } from "./AntennaHeights";
import { NewAntenna, type Figures } from "./NewAntenna";

const SUPPORTS = [
  { id: "tripod", name: "tripod" },
  { id: "fixed_pole", name: "fixed-height pole" },
];
const POLE_TO = [
  { id: "arp", name: "the reference point (ARP)" },
  { id: "apc", name: "the phase centre (APC)" },
];
const OTHER = "another antenna";

/** One standing of a base: which mark, how, and the heights it makes. */
export function OneSetUp({ setup }: { setup: SetUp }) {
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
      <AntennaHeights setup={setup} chain={chain} onChange={(readings) => set({ readings })} />
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
