import { useEffect, useRef, useState, type ReactNode } from "react";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { useSelection } from "../../app/workbench/selection";
import { Heading } from "../../ui/Heading";
import { StationViews } from "../StationViews";
import { CardView } from "./CardView";
import { LibraryView } from "./LibraryView";
import { LocalGridView } from "./LocalGridView";
import { CorrectionReach } from "./CorrectionReach";
import { PlaceView } from "./PlaceView";
import { SatellitesView } from "./SatellitesView";
import { SchemeView } from "./SchemeView";
import { SessionsView } from "./SessionsView";
import { SetUpsView } from "./SetUpsView";
import { BASE_VIEWS, type BaseView } from "./views";

const VIEWS: Record<BaseView, () => ReactNode> = {
  scheme: SchemeView,
  setups: SetUpsView,
  card: CardView,
  satellites: SatellitesView,
  sessions: SessionsView,
  reach: CorrectionReach,
  library: LibraryView,
  local: LocalGridView,
  place: PlaceView,
};

const typedUnderSetups = (object: string | null) => /^(marks|setups)\//.test(object ?? "");

/** What everything rests on: which scheme, which mark, which height in which box. */
export function BaseTray() {
  const { plan } = usePlan();
  const { view, openView } = useNavigation();
  const { selected } = useSelection();
  // A plan without a base begins with one; it stays there while the base is being made.
  const [first] = useState<BaseView>(() =>
    typedUnderSetups(selected) || !plan.setups.some((s) => s.mark) ? "setups" : "scheme",
  );
  const chosen = view in VIEWS ? (view as BaseView) : first;
  const View = VIEWS[chosen];
  const shownFor = useRef(selected);
  useEffect(() => {
    if (selected === shownFor.current) return;
    shownFor.current = selected;
    if (typedUnderSetups(selected)) openView("setups");
  }, [selected, openView]);
  return (
    <>
      <Heading title="Base">
        <span className="text-quiet">first thing out of the vehicle, last thing back in</span>
      </Heading>
      <StationViews views={BASE_VIEWS} chosen={chosen} />
      <View />
    </>
  );
}
