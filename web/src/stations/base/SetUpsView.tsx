import { useState } from "react";
import { call, type Edit } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, freeName, removed } from "../../lib/edits";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remove } from "../../ui/Remove";
import { Tabs } from "../../ui/Tabs";
import { useDoing } from "../../ui/useDoing";
import { allSources, setUpName } from "../positioning";
import { Marks } from "./Marks";
import { OneSetUp } from "./OneSetUp";
import { Services } from "./Services";

/** Set-ups of a base, the marks under them, and correction services. */
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
      <Services />
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
