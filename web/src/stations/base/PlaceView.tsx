import type { BasePlaces } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { useSelection } from "../../app/workbench/selection";
import { length } from "../../lib/units";
import { unitName } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { place, standOn } from "../../sheet/placing";
import { useBasePlaces } from "./useBasePlaces";

type Ranked = BasePlaces["ranked"][number];
const PARTS = ["sky", "reach", "clear", "mark", "access"] as const;
const SHOWN = 12;

/** Where the base may stand: the best places of the site and marks about it, with what speaks against each. */
export function PlaceView() {
  const { plan, catalogue, edit } = usePlan();
  const { openView } = useNavigation();
  const { setGoTo } = useSelection();
  const { unit } = plan.brief;
  const u = unitName(unit);
  const found = useBasePlaces();
  const told = found.data;
  const stand = async (one: Ranked) => {
    if (one.name && !one.mark) return openView("library");
    const edits = one.mark ? standOn(plan, one.mark) : place(catalogue.new_point, plan, "base", one.e, one.n).edits;
    await edit(edits);
  };
  if (found.error) return <ProblemNote problem={found.error} />;
  if (!told) return <p className="text-quiet">Looking at the sky over the site…</p>;
  const parts = PARTS.filter((part) => told.ranked.some((one) => part in one.parts));
  const shown = told.ranked.filter((one, k) => k < SHOWN || one.here);
  return (
    <section data-testid="base-places" aria-busy={found.isPlaceholderData}>
      <p>
        <strong>{told.told}</strong>{" "}
        <span className="text-quiet">
          On the sheet the larger ring is the better place; crosses are left out. Whether one may stand there is for
          you, and for whoever owns it, to say.
        </span>
      </p>
      <table className="table mt-1 text-sm">
        <thead>
          <tr>
            <th className="num">#</th>
            <th>place</th>
            <th className="num">E, {u}</th>
            <th className="num">N, {u}</th>
            <th className="num">score</th>
            {parts.map((part) => (
              <th key={part} className="num">
                {part}
              </th>
            ))}
            <th>what to know</th>
            <th>
              <span className="sr-only">actions</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <tr key={`${one.e} ${one.n}`} className={one.here ? "bg-settled-wash" : ""}>
              <td className="num">{told.ranked.indexOf(one) + 1}</td>
              <td>
                <button className="cursor-pointer underline" onClick={() => setGoTo({ e: one.e, n: one.n })}>
                  {one.name || "on the site"}
                </button>
                {one.here && " (the base)"}
              </td>
              <td className="num">{length(one.e, unit, 0)}</td>
              <td className="num">{length(one.n, unit, 0)}</td>
              <td className="num font-bold">{one.score.toFixed(2)}</td>
              {parts.map((part) => (
                <td key={part} className="num">
                  {one.parts[part]?.toFixed(2) ?? "–"}
                </td>
              ))}
              <td>{one.reasons.join("; ")}</td>
              <td>
                {!one.here && (
                  <button className="button text-sm whitespace-nowrap" onClick={() => void stand(one)}>
                    {one.name && !one.mark ? "in the library" : "base here"}
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-sm text-quiet">
        {told.ranked.length} places, {told.left_out.length} left out
        {told.left_out.length > 0 && ` (${[...new Set(told.left_out.map(([, , why]) => why))].slice(0, 4).join("; ")})`}
        .
      </p>
    </section>
  );
}
