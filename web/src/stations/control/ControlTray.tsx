import { useEffect, useState, type ReactNode } from "react";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { useSelection } from "../../app/workbench/selection";
import { counted } from "../../lib/units";
import { Heading } from "../../ui/Heading";
import { StationViews } from "../StationViews";
import { ControlTable } from "./ControlTable";
import { FilesView } from "./FilesView";
import { Import } from "./Import";
import { Naming } from "./Naming";
import { ObserveView } from "./ObserveView";
import { Occupations } from "./Occupations";
import { PointDetails } from "./PointDetails";
import { RoundView } from "./RoundView";
import { SearchView } from "./SearchView";
import { CONTROL_VIEWS, type ControlView } from "./views";

export function ControlTray() {
  const { plan } = usePlan();
  const { setPlacing } = useSelection();
  const { view, carried } = useNavigation();
  const [asked, setPasting] = useState(false);
  const pasting = asked || carried?.to === "points";
  useEffect(() => {
    if (carried?.to === "points") setPasting(true); // it stays open once it has taken what was carried
  }, [carried]);
  const [naming, setNaming] = useState(false);
  const [oneByOne, setOneByOne] = useState(false);
  const shown = view in VIEWS ? (view as ControlView) : "points";
  const Shown = VIEWS[shown];
  const targets = plan.control.filter((p) => p.role === "target").length;
  return (
    <div className="flex h-full flex-col">
      <Heading title="Control">
        <span className="text-quiet">
          {counted(targets, "control point")}, {counted(plan.control.length - targets, "check point")}
        </span>
        <span className="ml-auto flex flex-wrap justify-end gap-2">
          <button className="button text-sm" onClick={() => setPlacing("target")}>
            control point (G)
          </button>
          <button className="button text-sm" onClick={() => setPlacing("check")}>
            check point (K)
          </button>
          <button className="button text-sm" aria-pressed={naming} onClick={() => setNaming(!naming)}>
            names…
          </button>
          <button className="button text-sm" aria-pressed={oneByOne} onClick={() => setOneByOne(!oneByOne)}>
            occupations
          </button>
          <button className="button text-sm" aria-pressed={pasting} onClick={() => setPasting(!pasting)}>
            import points…
          </button>
        </span>
      </Heading>
      <StationViews views={CONTROL_VIEWS} chosen={view || "points"} />
      {pasting && <Import onDone={() => setPasting(false)} />}
      {naming && <Naming onDone={() => setNaming(false)} />}
      {plan.control.length || shown === "search" ? (
        <Shown oneByOne={oneByOne} />
      ) : (
        <p className="text-quiet">
          No control yet. Press G and click on the sheet for a control point, K for a check point.
        </p>
      )}
    </div>
  );
}

function PointsView({ oneByOne }: { oneByOne: boolean }) {
  const { plan } = usePlan();
  const { selected } = useSelection();
  const point = plan.control.find((p) => `control/${p.id}` === selected);
  return (
    <>
      <ControlTable />
      {point && !oneByOne && <PointDetails key={point.id} point={point} />}
      {oneByOne && <Occupations point={point} />}
    </>
  );
}

const VIEWS: Record<ControlView, (props: { oneByOne: boolean }) => ReactNode> = {
  points: PointsView,
  observe: ObserveView,
  search: SearchView,
  round: RoundView,
  files: FilesView,
};
