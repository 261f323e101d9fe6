import { usePlan } from "../../app/plan";
import type { Brief } from "../../api/client";
import { fieldEdits } from "../../lib/edits";
import { fineUnit } from "../../lib/units";
import { Field, FineField, LengthField, NumberField, TextField, unitName } from "../../ui/fields";

/** A geoid separation that somebody knows, where the height system's own geoid is not at hand: the system keeps its name. */
export function StatedSeparation() {
  const { plan, summary, edit } = usePlan();
  const { brief } = plan;
  const { unit } = brief;
  const stated = brief.separation ?? null;
  const put = (separation: Brief["separation"]) => void edit(fieldEdits(plan, "brief", { separation }));
  if (brief.heights === "ellipsoidal" || brief.heights?.startsWith("geoid:")) return null;
  const datum = summary?.datum;
  if (!stated)
    return (
      <p className="mt-3 text-sm">
        <button
          className="button"
          onClick={() =>
            put({ value: datum?.separation ?? 0, sigma: 0.05, at: null, slope_e: 0, slope_n: 0, source: "" })
          }
        >
          State the geoid separation…
        </button>{" "}
        <span className="text-quiet">where the geoid of these heights is not at hand, and somebody has told N</span>
      </p>
    );
  const set = (change: Partial<NonNullable<Brief["separation"]>>) => put({ ...stated, ...change });
  const middle = plan.site.boundary[0] ?? null;
  const slope = (axis: "slope_e" | "slope_n", name: string) => (
    <Field
      label={`Slope to ${name}, mm/km`}
      hint={stated.at ? "N grows by so much" : "from the first corner of the boundary"}
    >
      {(id) => (
        <NumberField
          id={id}
          value={stated[axis] ?? 0}
          scale={1000}
          decimals={1}
          width="w-20"
          onCommit={(to) => set({ [axis]: to, at: stated.at ?? middle })}
        />
      )}
    </Field>
  );
  return (
    <fieldset className="mt-3 border border-hairline px-3 py-2" data-testid="stated-separation">
      <legend className="px-1 font-bold">Geoid separation, as stated</legend>
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Field label={`N, ${unitName(unit)}`} hint="ellipsoidal height = height + N">
          {(id) => (
            <LengthField
              id={id}
              value={stated.value}
              unit={unit}
              decimals={3}
              width="w-24"
              onCommit={(value) => value !== null && set({ value })}
            />
          )}
        </Field>
        <Field label={`Standard deviation, ${fineUnit(unit)}`} hint="goes into the budget">
          {(id) => <FineField id={id} value={stated.sigma ?? 0.05} unit={unit} onCommit={(sigma) => set({ sigma })} />}
        </Field>
        {slope("slope_e", "grid east")}
        {slope("slope_n", "grid north")}
        <Field label="Source">
          {(id) => (
            <TextField
              id={id}
              value={stated.source ?? ""}
              width="w-44"
              optional
              onCommit={(source) => set({ source })}
            />
          )}
        </Field>
        <button className="button" onClick={() => put(null)}>
          Use the geoid model instead
        </button>
      </div>
    </fieldset>
  );
}
