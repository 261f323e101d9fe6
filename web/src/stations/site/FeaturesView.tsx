import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import type { SiteFeature } from "../../api/client";
import { fieldEdits, removed } from "../../lib/edits";
import { Field, LengthField, Select, TextField, unitName } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";
import { BringIn } from "./BringIn";
import { KINDS } from "./kinds";

const SHAPES: { id: NonNullable<SiteFeature["shape"]>; name: string }[] = [
  { id: "place", name: "a place" },
  { id: "line", name: "a line" },
  { id: "area", name: "an area" },
];
const LEAVES = [
  { id: "leaf", name: "in leaf" },
  { id: "bare", name: "without leaves" },
];
const TALL: SiteFeature["kind"][] = ["obstacle", "power_line", "canopy", "vehicle", "airspace"];

const TOPS = [
  { id: "rides", name: "with the ground" },
  { id: "level", name: "level" },
];

/** What is on the site that the work must mind: drawn, named, and as tall as it is. */
export function FeaturesView() {
  const { plan, edit } = usePlan();
  const { drawn, setDrawn, placing, setPlacing, setGoTo } = useSelection();
  const { unit } = plan.brief;
  return (
    <section data-testid="features">
      <div className="flex flex-wrap items-end gap-3">
        <Field label="What it is">
          {(id) => (
            <Select id={id} value={drawn.kind} options={KINDS} onChange={(kind) => setDrawn({ ...drawn, kind })} />
          )}
        </Field>
        <Field label="Drawn as">
          {(id) => (
            <Select id={id} value={drawn.shape} options={SHAPES} onChange={(shape) => setDrawn({ ...drawn, shape })} />
          )}
        </Field>
        <button
          className="button"
          aria-pressed={placing === "feature"}
          onClick={() => setPlacing(placing === "feature" ? null : "feature")}
        >
          draw on the sheet (H)
        </button>
        <span className="text-sm text-quiet">
          A double click ends a line or closes an area. Corners are dragged while this is open.
        </span>
      </div>
      <BringIn />
      {plan.site.features.length ? (
        <table className="table mt-2">
          <thead>
            <tr>
              <th>name</th>
              <th>what it is</th>
              <th>drawn as</th>
              <th className="num">height above ground, {unitName(unit)}</th>
              <th>top</th>
              <th>note</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {plan.site.features.map((one) => {
              const set = (change: Partial<SiteFeature>) =>
                void edit(fieldEdits(plan, `site/features/${one.id}`, change));
              const [e, n] = one.vertices[0]!;
              return (
                <tr key={one.id}>
                  <td>
                    <TextField
                      label={`Name of ${one.name}`}
                      value={one.name}
                      onCommit={(name) => set({ name })}
                      width="w-40"
                    />
                  </td>
                  <td>
                    <Select
                      label={`What ${one.name} is`}
                      value={one.kind}
                      options={KINDS}
                      onChange={(kind) => set({ kind })}
                    />
                  </td>
                  <td>{SHAPES.find((s) => s.id === one.shape)?.name}</td>
                  <td className="num">
                    {TALL.includes(one.kind) && (
                      <LengthField
                        label={`Height of ${one.name}`}
                        value={one.height ?? 0}
                        unit={unit}
                        decimals={1}
                        width="w-20"
                        onCommit={(height) => height !== null && height >= 0 && set({ height })}
                      />
                    )}
                  </td>
                  <td>
                    {TALL.includes(one.kind) && one.shape === "area" && (
                      <Select
                        label={`Top of ${one.name}`}
                        value={one.top ?? "rides"}
                        options={TOPS}
                        onChange={(top) => set({ top: top })}
                      />
                    )}
                    {one.kind === "canopy" && (
                      <Select
                        label={`Leaves of ${one.name}`}
                        value={one.in_leaf === false ? "bare" : "leaf"}
                        options={LEAVES}
                        onChange={(leaves) => set({ in_leaf: leaves === "leaf" })}
                      />
                    )}
                  </td>
                  <td>
                    <TextField
                      label={`Note on ${one.name}`}
                      value={one.note ?? ""}
                      optional
                      width="w-36"
                      onCommit={(note) => set({ note })}
                    />
                  </td>
                  <td className="whitespace-nowrap">
                    <button className="cursor-pointer underline" onClick={() => setGoTo({ e, n })}>
                      show
                    </button>{" "}
                    <Remove onClick={() => void edit([removed(plan, `site/features/${one.id}`)])} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      ) : (
        <p className="mt-2 text-quiet">
          Nothing yet. What stands up hides satellites and stops corrections; where nobody may stand, no control point
          is proposed; gates and paths make a place better.
        </p>
      )}
    </section>
  );
}
