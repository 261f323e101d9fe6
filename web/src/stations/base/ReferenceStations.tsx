import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, type NearStation, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added } from "../../lib/edits";
import { length } from "../../lib/units";
import { Select, unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";

/** How the source of a mark begins that was taken from a reference network. */
export const OF_A_NETWORK = "reference network";

/** The reference networks that may be asked. */
export function useNetworks(): string[] {
  const { jobId } = usePlan();
  const found = useQuery<string[], Problem>({
    queryKey: ["networks", jobId],
    queryFn: () => call("GET", `/jobs/${jobId}/networks`),
    staleTime: Infinity,
  });
  return found.data ?? [];
}

/** The reference stations about the site: what their distance and their outages do, and one taken into the plan with a click. */
export function ReferenceStations() {
  const { jobId, plan, edit } = usePlan();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const [chosen, setChosen] = useState("");
  const [asked, setAsked] = useState(false);
  const networks = useNetworks();
  const network = chosen || networks[0] || "";
  const found = useQuery<NearStation[], Problem>({
    queryKey: ["stations", jobId, network, plan.brief.crs, plan.brief.heights],
    queryFn: () => call("GET", `/jobs/${jobId}/stations?network=${encodeURIComponent(network)}`),
    enabled: asked && !!network,
    retry: false,
  });
  if (!networks.length) return null;
  const idOf = (name: string) => name.replace(/[^A-Za-z0-9-]/g, "-").slice(0, 36);
  const take = (one: NearStation) => {
    const id = idOf(one.name);
    const place = { e: one.e, n: one.n, h: one.h, sigma_h: one.sigma_h, sigma_v: one.sigma_v };
    const mark = { id, name: one.name, ...place, known: "published", source: `${OF_A_NETWORK}. ${one.how}` };
    const antenna = plan.kit.antennas[0]?.id;
    const none = { metres: 0, way: "slant", typed: "" }; // its coordinates are those of the ARP
    const setup = { id, name: one.name, mark: id, support: "fixed_pole", antenna, readings: [none] };
    void edit([added("marks", mark), added("setups", setup)]);
  };
  return (
    <div className="mt-3 border-t border-hairline pt-2" data-testid="stations">
      <h3 className="font-bold">Reference stations</h3>
      <div className="flex flex-wrap items-end gap-2">
        <Select
          label="Reference network"
          value={network}
          options={networks.map((one) => ({ id: one, name: one }))}
          onChange={setChosen}
        />
        <button className="button" disabled={found.isFetching} onClick={() => setAsked(true)}>
          which are near?
        </button>
      </div>
      {found.error && <ProblemNote problem={found.error} />}
      {found.data && (
        <table className="table mt-1 text-sm">
          <thead>
            <tr>
              <th>station</th>
              <th className="num">E, {u}</th>
              <th className="num">N, {u}</th>
              <th className="num">H, {u}</th>
              <th>from here</th>
              <th>
                <span className="sr-only">actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.data.map((one) => (
              <tr key={one.name}>
                <td title={one.how}>{one.name}</td>
                <td className="num">{length(one.e, unit)}</td>
                <td className="num">{length(one.n, unit)}</td>
                <td className="num">{length(one.h, unit)}</td>
                <td>{one.words}</td>
                <td>
                  {plan.marks.some((m) => m.id === idOf(one.name)) ? (
                    <span className="text-settled">in the plan</span>
                  ) : (
                    <button className="button text-sm whitespace-nowrap" onClick={() => take(one)}>
                      use
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="mt-1 text-sm text-quiet">
        One that is taken into the plan can be chosen under <em>scheme</em>: nearest station of a network.
      </p>
    </div>
  );
}
