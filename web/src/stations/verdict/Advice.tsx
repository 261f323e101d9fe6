import type { Advice as AdviceAnswer, Offer } from "../../api/client";
import { useComputation } from "../../app/computation";
import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { chance, fineUnit, grid } from "../../lib/units";
import { Fine } from "../../ui/Fine";
import { ProblemNote } from "../../ui/ProblemNote";
import { UNDER_WAY, UnderWay } from "../../ui/UnderWay";

/** What would help most: changes with what they would predict and what they cost on the ground; one click tries one. */
export function Advice() {
  const { plan, edit } = usePlan();
  const { setGoTo, select } = useSelection();
  const { told, asked, run, fault } = useComputation<AdviceAnswer>("advice");
  const take = (offer: Offer) => {
    void edit(offer.edits);
    const place = offer.edits[0]?.after as { e?: number; n?: number } | null;
    if (offer.kind === "target" && place?.e && place.n) {
      setGoTo({ e: place.e, n: place.n });
      select(offer.edits[0]!.path);
    }
  };
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
          Tries further control points, second rounds, check points, oblique and cross lines, calibration, base and
          heights, and prices each in minutes on the ground; of a plan that passes, what can be left out.
        </p>
      )}
      {told && UNDER_WAY.includes(told.state) && <UnderWay work={told} onStop={() => void run("stop")} />}
      {fault && <ProblemNote problem={fault} />}
      {told?.result && <Offers advice={told.result} unit={plan.brief.unit} onTake={take} />}
      {told?.result?.now?.good && <Spare spare={told.result.spare ?? []} unit={plan.brief.unit} onTake={take} />}
    </section>
  );
}

/** Where an offered target would stand, in the job's unit. */
function where(offer: Offer, unit: string): string {
  const place = offer.edits[0]?.after as { e?: number; n?: number } | null;
  return offer.kind === "target" && place?.e && place.n
    ? `: ${grid(place.e, unit, 0)} E ${grid(place.n, unit, 0)} N`
    : "";
}

/** What a plan that passes could do without. */
function Spare({ spare, unit, onTake }: { spare: Offer[]; unit: string; onTake: (offer: Offer) => void }) {
  return (
    <section className="mt-3" data-testid="spare">
      <h3 className="font-bold">What can be left out?</h3>
      {!spare.length && (
        <p className="text-sm">Nothing that saves a minute: the probability that is wanted needs all of it.</p>
      )}
      {spare.length > 0 && (
        <table className="table">
          <thead>
            <tr>
              <th>left out, and it still passes</th>
              <th className="num">H, {fineUnit(unit)}</th>
              <th className="num pl-4">V, {fineUnit(unit)}</th>
              <th className="num pl-4">passes</th>
              <th className="num pl-4">saved, min</th>
              <th>
                <span className="sr-only">leave it out</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {spare.map((offer) => (
              <tr key={offer.words}>
                <td>
                  {offer.words}
                  {offer.provisional && <span className="text-quiet"> (within 3 %)</span>}
                </td>
                <Promised of={offer} unit={unit} />
                <td className="num pl-4">{(-offer.minutes).toFixed(0)}</td>
                <td className="pl-4">
                  <button className="button" onClick={() => onTake(offer)}>
                    try it
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="text-sm text-quiet">
        Judged by the prediction alone: what the rules say of fewer points is found once it is tried. Fewer points also
        show fewer blunders.
      </p>
    </section>
  );
}

function Offers({
  advice,
  unit,
  onTake,
}: {
  advice: NonNullable<AdviceAnswer["result"]>;
  unit: string;
  onTake: (offer: Offer) => void;
}) {
  const { offers, now, largest } = advice;
  if (!offers.length)
    return <p>Nothing on offer would change the verdict: the plan is as good as these means allow.</p>;
  const shortest = offers.filter((o) => o.good).sort((a, b) => a.minutes - b.minutes)[0];
  const wasGood = now?.good;
  const direct = largest && offers.some((o) => o.lessens.includes(largest.kind));
  return (
    <>
      <p className="text-sm">
        {wasGood
          ? "The plan is good as it stands; what would still help, the most first."
          : shortest
            ? `Shortest way to a good plan: ${shortest.words.toLowerCase()}, ${shortest.minutes.toFixed(0)} min.`
            : "No single change makes the plan good; the most helpful first. Try one, then look again."}
        {direct && " First what lessens the largest share of the error in height."}
      </p>
      <table className="table">
        <thead>
          <tr>
            <th>change</th>
            <th className="num">H, {fineUnit(unit)}</th>
            <th className="num pl-4">V, {fineUnit(unit)}</th>
            <th className="num pl-4">passes</th>
            <th className="num pl-4">more minutes</th>
            <th>
              <span className="sr-only">take it over</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {now && (
            <tr className="text-quiet">
              <td>as it stands</td>
              <Promised of={now} unit={unit} />
              <td />
              <td />
            </tr>
          )}
          {offers.map((offer) => (
            <tr key={offer.words + where(offer, unit)}>
              <td>
                {offer.good && !wasGood && (
                  <span className="text-settled" title="inside the tolerance with a chance of 90 % or more">
                    ●{" "}
                  </span>
                )}
                {offer.words}
                {where(offer, unit)}
                {offer.provisional && <span className="text-quiet"> (within 3 %)</span>}
              </td>
              <Promised of={offer} unit={unit} />
              <td className="num pl-4">{offer.minutes.toFixed(0)}</td>
              <td className="pl-4">
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

function Promised({ of, unit }: { of: Pick<Offer, "rmse_h" | "rmse_v" | "chance">; unit: string }) {
  return (
    <>
      <td className="num">
        <Fine value={of.rmse_h} unit={unit} />
      </td>
      <td className="num pl-4">
        <Fine value={of.rmse_v} unit={unit} />
      </td>
      <td className="num pl-4">{of.chance === null ? "–" : chance(of.chance)}</td>
    </>
  );
}
