import { useState, type ReactNode } from "react";
import { call, type Catalogue, type Edit, type Flight, type Plan } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { added, freeName, removed } from "../../lib/edits";
import { Heading } from "../../ui/Heading";
import { StationViews } from "../StationViews";
import { Remove } from "../../ui/Remove";
import { Tabs } from "../../ui/Tabs";
import { AirView } from "./AirView";
import { CoverageView } from "./CoverageView";
import { FlightFields } from "./FlightFields";
import { FlightFiles } from "./FlightFiles";
import { FlownView } from "./FlownView";
import { LightView } from "./LightView";
import { KitView } from "./KitView";
import { FLIGHT_VIEWS, type FlightView } from "./views";

const VIEWS: Record<FlightView, () => ReactNode> = {
  flights: Flights,
  kit: KitView,
  coverage: CoverageView,
  air: AirView,
  light: LightView,
  flown: FlownView,
  files: FlightFiles,
};

export function FlightTray() {
  const { view } = useNavigation();
  const Shown = view in VIEWS ? VIEWS[view as FlightView] : Flights;
  return (
    <>
      <Heading title="Flight">
        <span className="text-quiet">follow the aviation law of the place; airspace is looked up again on the day</span>
      </Heading>
      <StationViews views={FLIGHT_VIEWS} chosen={view || "flights"} />
      <Shown />
    </>
  );
}

function Flights() {
  const { jobId, plan, summary, catalogue, edit } = usePlan();
  const [chosen, choose] = useState<string | null>(null);
  const flight = plan.flights.find((f) => f.id === chosen) ?? plan.flights[0];
  const another = (like: Flight) => {
    const { edits, id } = anotherFlight(plan, like, catalogue);
    void edit(edits);
    choose(id);
  };
  const calibrate = async (like: Flight) => {
    const edits = await call<Edit[]>("GET", `/jobs/${jobId}/flight/calibration?flight=${like.id}`);
    if (await edit(edits)) choose(edits[edits.length - 1]!.path.split("/")[1]!);
  };
  return (
    <>
      <Tabs label="Flights" tabs={plan.flights} chosen={flight?.id} onChoose={choose}>
        {flight && (
          <button className="button text-sm" onClick={() => another(flight)}>
            another flight
          </button>
        )}
        {flight?.sensor.kind === "images" && (
          <button className="button text-sm" onClick={() => void calibrate(flight)}>
            a calibration flight
          </button>
        )}
        {flight && plan.flights.length > 1 && (
          <Remove onClick={() => void edit([removed(plan, `flights/${flight.id}`)])}>remove {flight.name}</Remove>
        )}
      </Tabs>
      {flight ? (
        <FlightFields key={flight.id} flight={flight} flown={summary?.flights.find((f) => f.id === flight.id)} />
      ) : (
        <p className="text-quiet">No flight yet.</p>
      )}
    </>
  );
}

/** A further flight like the chosen one: straight after it; of images for the height, with the camera tilted. */
function anotherFlight(plan: Plan, like: Flight, catalogue: Catalogue): { edits: Edit[]; id: string } {
  const id = freeName("F", plan.flights);
  const flight = { ...like, id, name: `flight ${plan.flights.length + 1}` };
  const { purpose, tilt_deg } = catalogue.strengthening;
  if (like.sensor.kind === "images") Object.assign(flight, { purpose, sensor: { ...like.sensor, tilt_deg } });
  return { edits: [added("flights", flight)], id };
}
