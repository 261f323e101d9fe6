import { useQuery, useQueryClient } from "@tanstack/react-query";
import { call, type Advice as AdviceAnswer, type Offer } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useWorkbench } from "../../app/workbench";
import { chance, mm } from "../../lib/units";
import { ProblemNote } from "../../ui/ProblemNote";
import { UNDER_WAY, UnderWay } from "../../ui/UnderWay";

/** What would help most: changes with what they would predict and what they cost on the ground; one click tries one. */
export function Advice() {
  const { jobId, answer, edit } = usePlan();
  const { setGoTo, select } = useWorkbench();
  const client = useQueryClient();
  const key = ["advice", jobId, answer.hash];
  const advice = useQuery({
    queryKey: key,
    queryFn: () => call<AdviceAnswer>("GET", `/jobs/${jobId}/advice`),
    refetchInterval: (query) => (UNDER_WAY.includes(query.state.data?.state ?? "") ? 400 : false),
  });
  const run = async (what: "start" | "stop") => {
    await call("POST", `/jobs/${jobId}/advice/${what}`);
    await client.invalidateQueries({ queryKey: key });
  };
  const take = (offer: Offer) => {
    void edit(offer.changes);
    const place = offer.changes[0]?.value as { e?: number; n?: number; id?: string };
    if (offer.kind === "target" && place.e && place.n) {
      setGoTo({ e: place.e, n: place.n });
      select(offer.changes[0]!.object);
    }
  };
  const told = advice.data;
  const asked = told && told.state !== "none" && told.state !== "stopped";
  return (
    <section className="mt-4" data-testid="advice">
      <h3 className="flex items-baseline gap-3 font-bold">
        What would help most?
        {!asked && (
          <button className="button text-sm font-normal" onClick={() => void run("start")}>
            look for changes
          </button>
        )}
      </h3>
      {!asked && (
        <p className="text-sm text-quiet">
          Tries further targets, second rounds, checks, oblique and crossing strips, calibration, base and heights, and
          prices each in minutes on the ground.
        </p>
      )}
      {told && UNDER_WAY.includes(told.state) && <UnderWay work={told} onStop={() => void run("stop")} />}
      {told?.error && <ProblemNote problem={told.error} />}
      {told?.result && <Offers offers={told.result.offers} now={told.result.now} onTake={take} />}
    </section>
  );
}

function Offers({
  offers,
  now,
  onTake,
}: {
  offers: Offer[];
  now: NonNullable<AdviceAnswer["result"]>["now"];
  onTake: (offer: Offer) => void;
}) {
  if (!offers.length)
    return <p>Nothing on offer would change the verdict: the plan is as good as these means allow.</p>;
  const shortest = offers.find((o) => o.good);
  const wasGood = now?.good;
  return (
    <>
      <p className="text-sm">
        {wasGood
          ? "The plan is good as it stands; what would still help, the most first."
          : shortest
            ? `Shortest way to a good plan: ${shortest.words.toLowerCase()}, ${shortest.minutes.toFixed(0)} min.`
            : "No single change makes the plan good; the most helpful first. Try one, then look again."}
      </p>
      <table className="table">
        <thead>
          <tr>
            <th>change</th>
            <th className="num">H, mm</th>
            <th className="num">V, mm</th>
            <th className="num">chance</th>
            <th className="num">more minutes</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {now && (
            <tr className="text-quiet">
              <td>as it stands</td>
              <td className="num">{mm(now.rmse_h)}</td>
              <td className="num">{mm(now.rmse_v)}</td>
              <td className="num">{now.chance === null ? "–" : chance(now.chance)}</td>
              <td />
              <td />
            </tr>
          )}
          {offers.map((offer) => (
            <tr key={offer.words}>
              <td>
                {offer.good && !wasGood && (
                  <span className="text-settled" title="inside the tolerance with a chance of 90 % or more">
                    ●{" "}
                  </span>
                )}
                {offer.words}
                {offer.provisional && <span className="text-quiet"> (within 3 %)</span>}
              </td>
              <td className="num">{mm(offer.rmse_h)}</td>
              <td className="num">{mm(offer.rmse_v)}</td>
              <td className="num">{offer.chance === null ? "–" : chance(offer.chance)}</td>
              <td className="num">{offer.minutes.toFixed(0)}</td>
              <td>
                <button className="button" onClick={() => onTake(offer)}>
                  try it
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-sm text-quiet">
        Minutes rest on the assumptions for laying out, observing and walking. Undo takes a trial back.
      </p>
    </>
  );
}
