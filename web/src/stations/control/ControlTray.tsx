import { useState } from "react";
import { usePlan } from "../../app/plan";
import { useWorkbench } from "../../app/workbench";
import { Heading } from "../../ui/Heading";
import { Tabs } from "../../ui/Tabs";
import { ControlTable } from "./ControlTable";
import { Occupations } from "./Occupations";
import { Paste } from "./Paste";
import { SearchView } from "./SearchView";
import { CONTROL_VIEWS } from "./views";

export function ControlTray() {
  const { plan } = usePlan();
  const { setPlacing, selected, view, openView } = useWorkbench();
  const [pasting, setPasting] = useState(false);
  const [oneByOne, setOneByOne] = useState(false);
  const point = plan.control.find((p) => `control/${p.id}` === selected);
  const targets = plan.control.filter((p) => p.role === "target").length;
  return (
    <div className="flex h-full flex-col">
      <Heading title="Control">
        <span className="text-quiet">
          {targets} targets, {plan.control.length - targets} checks · a check is never used to adjust
        </span>
        <span className="ml-auto flex gap-2">
          <button className="button text-sm" onClick={() => setPlacing("target")}>
            target (G)
          </button>
          <button className="button text-sm" onClick={() => setPlacing("check")}>
            check (K)
          </button>
          <button className="button text-sm" aria-pressed={oneByOne} onClick={() => setOneByOne(!oneByOne)}>
            occupations
          </button>
          <button className="button text-sm" aria-pressed={pasting} onClick={() => setPasting(!pasting)}>
            paste points…
          </button>
        </span>
      </Heading>
      <Tabs label="Views" tabs={CONTROL_VIEWS} chosen={view || "points"} onChoose={openView} />
      {pasting && <Paste onDone={() => setPasting(false)} />}
      {view === "search" ? (
        <SearchView />
      ) : plan.control.length ? (
        <>
          <ControlTable />
          {oneByOne && <Occupations point={point} />}
        </>
      ) : (
        <p className="text-quiet">No control yet. Press G and click on the sheet for a target, K for a check.</p>
      )}
    </div>
  );
}
