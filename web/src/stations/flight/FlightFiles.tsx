import { usePlan } from "../../app/plan";

/** What of the flights goes out: a card for the pilot, and their lines for maps and aircraft. */
export function FlightFiles() {
  const { jobId, plan, catalogue } = usePlan();
  const maps = catalogue.files.written.filter(({ of }) => of === "flight");
  if (!plan.flights.length) return <p className="text-quiet">No flight yet.</p>;
  return (
    <div
      className="grid grid-cols-[minmax(0,1fr)] min-[900px]:grid-cols-[minmax(280px,1fr)_minmax(320px,1.3fr)] gap-x-8"
      data-testid="flight-files"
    >
      <section>
        <h3 className="font-bold">On one page, for the pilot</h3>
        <p className="text-sm text-quiet">A picture of the lines and every figure that is typed, with its unit.</p>
        <div className="mt-1 flex flex-wrap gap-2">
          {plan.flights.map((f) => (
            <a
              key={f.id}
              className="button text-sm"
              href={`/api/jobs/${jobId}/flight/card.pdf?flight=${f.id}`}
              download
            >
              card of {f.name}
            </a>
          ))}
        </div>
      </section>
      <section>
        <h3 className="font-bold">Flight lines and exposures</h3>
        <div className="mt-1 flex flex-wrap gap-2">
          {[{ name: "flight.csv", words: "waypoints (CSV)" }, ...maps].map(({ name, words }) => (
            <a key={name} className="button text-sm" href={`/api/jobs/${jobId}/export/${name}`} download>
              {words}
            </a>
          ))}
        </div>
        <p className="mt-1 text-sm text-quiet">
          Heights in each: ellipsoidal in GeoJSON; above the sea, or above the ground where the job has no geoid, in
          KML; the job's own in GeoPackage and DXF; ellipsoidal, above ground and above take-off in the list. Hold one
          against the terrain before you fly it.
        </p>
      </section>
    </div>
  );
}
