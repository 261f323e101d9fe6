import type { Result } from "../api/client";
import { fieldEdits } from "../lib/edits";
import { Fine } from "../ui/Fine";
import { usePlan } from "./plan";

const NAMES = { as_taken: "as taken “here”", shifted: "once shifted" } as const;

/** A base taken "here" has two states: which of them is shown, and a word to show the other. */
export function WhichState() {
  const { plan, edit } = usePlan();
  const { state } = plan.brief;
  return (
    <div className="flex gap-1 text-sm" role="group" aria-label="Which state is shown">
      {(["as_taken", "shifted"] as const).map((one) => (
        <button
          key={one}
          className="button flex-1 text-sm"
          aria-pressed={state === one}
          onClick={() => void edit(fieldEdits(plan, "brief", { state: one }))}
        >
          {NAMES[one]}
        </button>
      ))}
    </div>
  );
}

/** What the plan promises in the state that is not shown, as rows of a table of figures. */
export function InOtherState({ of: other, unit }: { of: NonNullable<Result["other"]>; unit: string }) {
  const rows = [
    { name: "map", h: other.rmse_h, v: other.rmse_v },
    { name: "check points", h: other.seen_rmse_h, v: other.seen_rmse_v },
  ];
  return rows.map(({ name, h, v }) => (
    <tr key={name} className="text-quiet" data-testid="other-state">
      <td>
        {NAMES[other.state]}, {name}
      </td>
      <td className="num">
        <Fine value={h} unit={unit} />
      </td>
      <td className="num">
        <Fine value={v} unit={unit} />
      </td>
    </tr>
  ));
}
