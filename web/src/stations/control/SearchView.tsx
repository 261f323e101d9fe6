import { useEffect, useState } from "react";
import type { Layout, Layouts, CommonLayout } from "../../api/client";
import { useComputation } from "../../app/computation";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { fieldEdits } from "../../lib/edits";
import { chance, fineUnit } from "../../lib/units";
import { FrontPlot } from "../../plots/FrontPlot";
import { Fine } from "../../ui/Fine";
import { NumberField, Select } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { UNDER_WAY, UnderWay } from "../../ui/UnderWay";

/** Few targets and checks that pass: searched over the site, told as a front to pick from, drawn while looked at. */
export function SearchView() {
  const { told, asked, run, fault } = useComputation<Layouts>("layouts");
  const { plan, edit } = usePlan();
  const pinned = plan.control.filter((p) => p.pinned).length;
  return (
    <section data-testid="search">
      <div className="flex flex-wrap items-baseline gap-3">
        <h3 className="font-bold">Fewest points that pass</h3>
        {!asked && (
          <button className="button text-sm" onClick={() => void run("start")}>
            search a layout
          </button>
        )}
        <span className="text-sm text-quiet">
          {told?.result?.tried
            ? `${told.result.tried} places tried, ${pinned} of ${plan.control.length} points pinned.`
            : `Tries about a thousand places where one may stand. Pinned points stay. Nothing is changed until you take one.`}
        </span>
        <label className="text-sm">
          probability of passing wanted{" "}
          <Select
            label="Probability of passing wanted"
            value={`${plan.brief.chance}`}
            options={CHANCES}
            onChange={(chance) => void edit(fieldEdits(plan, "brief", { chance: Number(chance) }))}
          />
        </label>
      </div>
      <Pins />
      <label className="mt-1 flex items-center gap-1 text-sm">
        <span className="text-quiet">check points at most:</span>
        <NumberField
          label="Checks at most"
          value={plan.brief.most_checks}
          decimals={0}
          onClear={() => void edit(fieldEdits(plan, "brief", { most_checks: null }))}
          placeholder="as usual"
          width="w-24"
          onCommit={(most_checks) => void edit(fieldEdits(plan, "brief", { most_checks }))}
        />
      </label>
      {told && UNDER_WAY.includes(told.state) && <UnderWay work={told} onStop={() => void run("stop")} />}
      {fault && <ProblemNote problem={fault} />}
      {told?.result && told.result.front.length > 0 && <Front found={told.result} />}
    </section>
  );
}

const MOST_PINS = 60;
const CHANCES = [0.8, 0.9, 0.95, 0.99].map((share) => ({ id: `${share}`, name: chance(share) }));

/** Which of the plan's points stay where they are. */
function Pins() {
  const { plan, edit } = usePlan();
  if (!plan.control.length || plan.control.length > MOST_PINS) return null;
  return (
    <div className="mt-1 flex flex-wrap items-center gap-1 text-sm" role="group" aria-label="Points that may not move">
      <span className="text-quiet">may not move:</span>
      {plan.control.map((p) => (
        <button
          key={p.id}
          className="button px-1 py-0 text-sm"
          aria-pressed={p.pinned}
          onClick={() => void edit(fieldEdits(plan, `control/${p.id}`, { pinned: !p.pinned }))}
        >
          {p.name}
        </button>
      ))}
    </div>
  );
}

function Front({ found }: { found: NonNullable<Layouts["result"]> }) {
  const { plan, edit } = usePlan();
  const { setProposed } = useOverlay();
  const { unit } = plan.brief;
  const [looked, look] = useState<number | null>(null);
  const [other, lookAt] = useState<Layout | null>(null);
  const shown = looked ?? found.proposed;
  useEffect(() => {
    setProposed(other?.points ?? (shown === null ? null : found.front[shown]!.points));
    return () => setProposed(null);
  }, [shown, other, found, setProposed]);
  const take = (k: number) => void edit(found.front[k]!.edits);
  const left = Object.entries(found.left_out);
  return (
    <>
      <p className="mt-1">{found.words}</p>
      <div className="flex flex-wrap items-start gap-x-4">
        <FrontPlot
          front={found.front}
          proposed={found.proposed}
          looked={looked}
          unit={unit}
          onLook={look}
          onTake={take}
        />
        <table className="table w-auto text-sm">
          <thead>
            <tr>
              <th className="num">control</th>
              <th className="num">check</th>
              <th className="num">min</th>
              <th className="num">H, {fineUnit(unit)}</th>
              <th className="num">V, {fineUnit(unit)}</th>
              <th className="num">passes</th>
              <th>
                <span className="sr-only">take</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.now && <AsPlanned one={found.now} unit={unit} />}
            {found.front.map((one, k) => (
              <Row
                key={k}
                one={one}
                unit={unit}
                proposed={found.proposed === k}
                onLook={(on) => look(on ? k : null)}
                onTake={() => take(k)}
              />
            ))}
          </tbody>
        </table>
      </div>
      {found.schools.length > 0 && <CommonLayouts schools={found.schools} unit={unit} onLook={lookAt} />}
      <p className="mt-1 max-w-3xl text-sm text-quiet">
        Figures are within 3 %{found.schools.length > 0 && ", those of the proposal in full"}. Whether one may stand
        there is for the eye, and for the owner, to say.
        {left.length > 0 && ` Left out: ${left.map(([why, count]) => `${count} ${why}`).join("; ")}.`}
      </p>
    </>
  );
}

/** The schools of practice, each as it would come out here. */
function CommonLayouts(props: { schools: CommonLayout[]; unit: string; onLook: (layout: Layout | null) => void }) {
  const { schools, unit, onLook } = props;
  const { edit } = usePlan();
  return (
    <>
      <h3 className="mt-2 font-bold">Common layouts compared</h3>
      <table className="table text-sm">
        <thead>
          <tr>
            <th>school</th>
            <th className="num">control + check</th>
            <th className="num">on site</th>
            <th className="num">V, {fineUnit(unit)}</th>
            <th>here</th>
            <th>
              <span className="sr-only">take</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {schools.map((school) => (
            <SchoolRow
              key={school.id}
              school={school}
              unit={unit}
              onLook={onLook}
              onTake={(edits) => void edit(edits)}
            />
          ))}
        </tbody>
      </table>
    </>
  );
}

/** A school on one line: what it would come to here, drawn while it is looked at. */
function SchoolRow(props: {
  school: CommonLayout;
  unit: string;
  onLook: (layout: Layout | null) => void;
  onTake: (edits: Layout["edits"]) => void;
}) {
  const { school, unit, onLook, onTake } = props;
  const { layout } = school;
  return (
    <tr
      onMouseEnter={() => onLook(layout)}
      onMouseLeave={() => onLook(null)}
      onFocus={() => onLook(layout)}
      onBlur={() => onLook(null)}
    >
      <td className="font-medium whitespace-nowrap">{school.name}</td>
      <td className="num whitespace-nowrap">{layout && `${layout.targets} + ${layout.checks}`}</td>
      <td className="num whitespace-nowrap">{layout && `${layout.minutes.toFixed(0)} min`}</td>
      <td className="num whitespace-nowrap">{layout && <Fine value={layout.rmse_v} unit={unit} />}</td>
      <td>{school.words}</td>
      <td>
        {layout && layout.edits.length > 0 && (
          <button className="button text-sm" onClick={() => onTake(layout.edits)}>
            use
          </button>
        )}
      </td>
    </tr>
  );
}

/** The plan's own control beside what is proposed. */
function AsPlanned({ one, unit }: { one: Layout; unit: string }) {
  return (
    <tr className="text-quiet">
      <Figures one={one} unit={unit} />
      <td>the plan as it stands</td>
    </tr>
  );
}

function Figures({ one, unit }: { one: Layout; unit: string }) {
  return (
    <>
      <td className="num">{one.targets}</td>
      <td className="num">{one.checks}</td>
      <td className="num">{one.minutes.toFixed(0)}</td>
      <td className="num">
        <Fine value={one.rmse_h} unit={unit} />
      </td>
      <td className="num">
        <Fine value={one.rmse_v} unit={unit} />
      </td>
      <td className="num pl-4">{one.chance === null ? "–" : chance(one.chance)}</td>
    </>
  );
}

function Row(props: {
  one: Layout;
  unit: string;
  proposed: boolean;
  onLook: (on: boolean) => void;
  onTake: () => void;
}) {
  const { one, unit, proposed, onLook, onTake } = props;
  return (
    <tr
      className={proposed ? "bg-settled-wash" : ""}
      onMouseEnter={() => onLook(true)}
      onMouseLeave={() => onLook(false)}
      onFocus={() => onLook(true)}
      onBlur={() => onLook(false)}
    >
      <Figures one={one} unit={unit} />
      <td>
        <button className="button text-sm" title={one.left.join(" ")} onClick={onTake}>
          {proposed ? "use this" : "use"}
        </button>
        {one.left.length > 0 && (
          <span className="ml-2 text-decision-text" title={one.left.join(" ")}>
            {one.left.length} {one.left.length === 1 ? "finding" : "findings"}
          </span>
        )}
      </td>
    </tr>
  );
}
