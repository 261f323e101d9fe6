import { useState } from "react";
import type { Device, SetUp, SetUpBlunders, SetUpHeights } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits, freeName } from "../../lib/edits";
import { HeightChain } from "../../plots/HeightChain";
import { Remove } from "../../ui/Remove";
import { Tabs } from "../../ui/Tabs";
import { setUpName } from "../positioning";
import { Blunders } from "./Blunders";
import { CardFace } from "./CardFace";
import { NewDevice } from "./NewDevice";
import { AskReceiver } from "./AskReceiver";
import { OnAir } from "./OnAir";
import { ReadBack } from "./ReadBack";

/** Every height of a set-up, and exactly what each device is told of it. */
export function CardView() {
  const { plan, summary } = usePlan();
  const [chosen, choose] = useState<string | null>(null);
  const setup = plan.setups.find((s) => s.id === chosen) ?? plan.setups[0];
  if (!setup) return <p className="text-quiet">No set-up yet: add one under set-ups.</p>;
  const chain = summary?.heights.find((h) => h.setup === setup.id);
  const fault = summary?.faults[`setup/${setup.id}`];
  const told = summary?.blunders.find((b) => b.setup === setup.id);
  return (
    <>
      {plan.setups.length > 1 && (
        <Tabs
          label="Set-ups"
          tabs={plan.setups.map((s) => ({ id: s.id, name: setUpName(plan, s.id) }))}
          chosen={setup.id}
          onChoose={choose}
        />
      )}
      {chain && told ? (
        <Heights key={setup.id} setup={setup} chain={chain} told={told} />
      ) : plan.correction_services.length && !setup.mark ? (
        <p className="text-quiet">
          Corrections come from {plan.correction_services.map((n) => n.name).join(", ")}: there is no base to type
          anything into. The card is of a set-up on a mark.
        </p>
      ) : (
        <p className="text-quiet">
          {fault?.what} {fault?.mend}
        </p>
      )}
    </>
  );
}

function Heights({ setup, chain, told }: { setup: SetUp; chain: SetUpHeights; told: SetUpBlunders }) {
  const { plan } = usePlan();
  const { unit } = plan.brief;
  return (
    <>
      <Devices setup={setup} />
      <div className="mt-3">
        <HeightChain heights={chain} unit={unit} support={setup.support} />
        <p className="figures text-sm">
          <span className="text-quiet">mark on {chain.datum}:</span> {chain.latitude.toFixed(9)}°{" "}
          {chain.longitude.toFixed(9)}°
        </p>
      </div>
      <OnAir setup={setup.id} />
      <AskReceiver setup={setup.id} />
      <Blunders told={told} unit={unit} />
    </>
  );
}

function Devices({ setup }: { setup: SetUp }) {
  const { plan, summary, edit, jobId } = usePlan();
  const [chosen, choose] = useState<string | null>(null);
  const [adding, add] = useState(setup.devices.length === 0);
  const device = setup.devices.find((d) => d.id === chosen) ?? setup.devices[0];
  const card = summary?.cards.find((c) => c.setup === setup.id && c.device === device?.id);
  const set = (devices: Device[]) => void edit(fieldEdits(plan, `setups/${setup.id}`, { devices }));
  const take = (row: Omit<Device, "id">) => {
    const id = freeName("D", setup.devices);
    set([...setup.devices, { id, ...row }]);
    choose(id);
    add(false);
  };
  return (
    <>
      <Tabs
        label="Devices"
        tabs={setup.devices.map((d) => ({ id: d.id, name: d.name }))}
        chosen={adding ? undefined : device?.id}
        onChoose={(id) => {
          choose(id);
          add(false);
        }}
      >
        {!adding && (
          <button className="button text-sm" onClick={() => add(true)}>
            another device
          </button>
        )}
      </Tabs>
      {(adding || !device) && <NewDevice onTake={take} />}
      {!adding && device && card && (
        <div className="flex flex-wrap items-start gap-4">
          <CardFace card={card} />
          <div className="min-w-[250px] flex-1">
            <p className="flex flex-wrap items-baseline gap-3">
              <a className="button text-sm" href={`/api/jobs/${jobId}/card/${setup.id}/${device.id}.pdf`}>
                card, PDF
              </a>
              <Remove onClick={() => set(setup.devices.filter((d) => d.id !== device.id))}>remove this device</Remove>
            </p>
            <ReadBack key={device.id} setup={setup.id} device={device} />
          </div>
        </div>
      )}
    </>
  );
}
