import { useEffect, useState } from "react";
import type { Day, Visit } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { added, fieldEdits, freeName, removed } from "../../lib/edits";
import { DayRows } from "../../plots/DayRows";
import { CommitField, Field, NumberField, TextField } from "../../ui/fields";
import { Heading } from "../../ui/Heading";
import { ProblemNote } from "../../ui/ProblemNote";
import { ActionsHead, Remove } from "../../ui/Remove";
import { Tabs } from "../../ui/Tabs";
import { clockOf, useDay } from "./useDay";

const ROLES = ["pilot", "surveyor", "helper"] as const;

export function DayTray() {
  const { plan, edit } = usePlan();
  const [chosen, choose] = useState<string | null>(null);
  const visit = plan.visits.find((v) => v.id === chosen) ?? plan.visits[0];
  const another = () => {
    const id = freeName("V", plan.visits);
    const people = visit?.people ?? [
      { id: "P1", name: "first", roles: ["pilot", "surveyor", "helper"] },
      { id: "P2", name: "second", roles: ["surveyor", "helper"] },
    ];
    const tomorrow = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10);
    const usual = {
      leave: "07:00",
      back: "",
      travel_min: 30,
      batteries: 4,
      charge_min: null,
      sun_deg: 10,
      utc_offset_h: null,
    };
    const settled = { minutes: {}, pins: {}, takers: {}, note: "" };
    const row = { id, name: `visit ${plan.visits.length + 1}`, date: tomorrow, people, ...usual, ...settled };
    void edit([added("visits", row)]);
    choose(id);
  };
  return (
    <>
      <Heading title="Day">
        <span className="text-quiet">people, tasks and light on one clock: base first out, last in</span>
      </Heading>
      <Tabs
        label="Visits"
        tabs={plan.visits.map(({ id, name }) => ({ id, name }))}
        chosen={visit?.id}
        onChoose={choose}
      >
        <button className="button text-sm" onClick={another}>
          {visit ? "another visit" : "plan a visit"}
        </button>
        {visit && <Remove onClick={() => void edit([removed(plan, `visits/${visit.id}`)])}>remove {visit.name}</Remove>}
      </Tabs>
      {visit ? (
        <OneVisit key={visit.id} visit={visit} />
      ) : (
        <p className="max-w-2xl text-quiet">
          No visit yet. Plan one: its tasks follow from the plan, and are put on the clock by who comes, the batteries
          at hand and the light.
        </p>
      )}
    </>
  );
}

function OneVisit({ visit }: { visit: Visit }) {
  const { plan, edit } = usePlan();
  const { day, problem } = useDay(visit);
  const { round, setRound } = useOverlay();
  const [task, setTask] = useState<string | null>(null);
  useEffect(() => () => setRound([]), [setRound]); // the station takes its drawing away again
  const set = (change: Partial<Visit>) => void edit(fieldEdits(plan, `visits/${visit.id}`, change));
  const settle = (what: "pins" | "takers" | "minutes", key: string, value: unknown) =>
    fieldEdits(plan, `visits/${visit.id}/${what}`, { [key]: value });

  function choose(id: string | null) {
    setTask(id);
    const about = day?.tasks.find((t) => t.id === id)?.about ?? [];
    setRound(about.filter((path) => path.startsWith("control/")));
  }
  function pin(id: string, minute: number, person: string | null) {
    const at = Math.max(0, Math.min(24 * 60 - 1, minute));
    void edit([...settle("pins", id, clockOf(at)), ...(person ? settle("takers", id, person) : [])]);
  }
  const free = (id: string) => void edit([...settle("pins", id, null), ...settle("takers", id, null)]);

  return (
    <>
      {!visit.date && <p className="mt-2">Give the visit a date: the light depends on it.</p>}
      {problem && <ProblemNote problem={problem} />}
      {day && (
        <>
          <p className="mt-2 text-lg font-medium" data-testid="day-told">
            {day.told}
          </p>
          <p className="text-sm text-quiet">
            Sun up {clockOf(day.light.rise)}, down {clockOf(day.light.set)}; light enough to fly (sun at {visit.sun_deg}
            °) {clockOf(day.light.first)} to {clockOf(day.light.last)}; on foot, {clockOf(day.light.dawn)} to{" "}
            {clockOf(day.light.dusk)}. Clock {day.utc_offset_h >= 0 ? "+" : "−"}
            {Math.abs(day.utc_offset_h)} h to UTC.
          </p>
          <Reasons day={day} />
          {day.tasks.some((t) => t.start !== null) && (
            <>
              <DayRows day={day} visit={visit} chosen={task} onChoose={choose} onPin={pin} />
              <p className="mt-1 text-sm text-quiet">
                Drag a bar to pin it, or into another row to give it to somebody else; the rest follows. Arrow keys move
                the one in focus.
                {round.length > 0 && " The round of the chosen task is drawn on the sheet."}
              </p>
            </>
          )}
        </>
      )}
      <Settings visit={visit} clock={day?.utc_offset_h} set={set} />
      <People visit={visit} day={day} />
      {day && (
        <Tasks
          day={day}
          visit={visit}
          chosen={task}
          onChoose={choose}
          onMinutes={(id, minutes) => void edit(settle("minutes", id, minutes))}
          onFree={free}
        />
      )}
    </>
  );
}

function Reasons({ day }: { day: Day }) {
  return day.reasons.map((reason) => (
    <p key={reason.words} role="alert" className="mt-1 border-l-4 border-decision bg-decision-wash px-2 py-1">
      <strong>{reason.words}</strong> {reason.mend}
    </p>
  ));
}

function Settings(props: { visit: Visit; clock: number | undefined; set: (change: Partial<Visit>) => void }) {
  const { visit, set } = props;
  const time = (label: string, value: string, optional: boolean, commit: (text: string) => void, hint?: string) => (
    <Field label={label} hint={hint}>
      {(id) => (
        <CommitField
          id={id}
          width="w-20"
          className="figures"
          text={value}
          placeholder={optional ? "any" : undefined}
          read={(text) => {
            const typed = /^(\d{1,2})[:.]?(\d{2})$/.exec(text.trim());
            if (optional && !text.trim()) return () => commit("");
            if (!typed || Number(typed[1]) > 23 || Number(typed[2]) > 59) return null;
            return () => commit(`${typed[1]!.padStart(2, "0")}:${typed[2]}`);
          }}
        />
      )}
    </Field>
  );
  const number = (label: string, value: number, commit: (value: number) => void, decimals = 0) => (
    <Field label={label}>
      {(id) => <NumberField id={id} value={value} decimals={decimals} width="w-20" onCommit={commit} />}
    </Field>
  );
  return (
    <div className="flex flex-wrap items-start gap-x-5 gap-y-2">
      <Field label="Name">
        {(id) => <TextField id={id} width="w-32" value={visit.name} onCommit={(name) => set({ name })} />}
      </Field>
      <Field label="Date">
        {(id) => (
          <input
            id={id}
            type="date"
            className="input figures"
            value={visit.date}
            onChange={(event) => set({ date: event.target.value })}
          />
        )}
      </Field>
      {time("Leave not before", visit.leave, false, (leave) => set({ leave }))}
      {time("Back by", visit.back, true, (back) => set({ back }))}
      {number("Travel time, min", visit.travel_min, (travel_min) => set({ travel_min }))}
      {number("Batteries at hand", visit.batteries, (batteries) => set({ batteries: Math.round(batteries) }))}
      <Field label="Recharge time on site, min">
        {(id) => (
          <CommitField
            id={id}
            width="w-20"
            className="figures text-right"
            placeholder="not"
            text={visit.charge_min === null ? "" : visit.charge_min.toFixed(0)}
            read={(text) => {
              if (!text.trim()) return () => set({ charge_min: null });
              return Number.isFinite(Number(text)) ? () => set({ charge_min: Number(text) }) : null;
            }}
          />
        )}
      </Field>
      {number("Minimum sun elevation, °", visit.sun_deg, (sun_deg) => set({ sun_deg }))}
      {number("UTC offset, h", visit.utc_offset_h ?? props.clock ?? 0, (utc_offset_h) => set({ utc_offset_h }), 1)}
    </div>
  );
}

/** Who comes, what each may do, and what goes out to each. */
function People({ visit, day }: { visit: Visit; day: Day | undefined }) {
  const { plan, edit, jobId } = usePlan();
  const set = (people: Visit["people"]) => void edit(fieldEdits(plan, `visits/${visit.id}`, { people }));
  const change = (id: string, to: Partial<Visit["people"][number]>) =>
    set(visit.people.map((p) => (p.id === id ? { ...p, ...to } : p)));
  const printed = day && !day.reasons.length;
  return (
    <section aria-label="People" className="mt-2">
      <ul className="flex flex-wrap gap-x-6 gap-y-1">
        {visit.people.map((person) => (
          <li key={person.id} className="flex flex-wrap items-center gap-2">
            <TextField
              label={`Name of ${person.name}`}
              width="w-28"
              value={person.name}
              onCommit={(name) => change(person.id, { name })}
            />
            {ROLES.map((role) => (
              <label key={role} className="flex items-center gap-1 text-sm">
                <input
                  type="checkbox"
                  checked={person.roles.includes(role)}
                  onChange={(event) =>
                    change(person.id, {
                      roles: ROLES.filter((r) => (r === role ? event.target.checked : person.roles.includes(r))),
                    })
                  }
                />
                {role}
              </label>
            ))}
            {printed && (
              <>
                <a className="text-sm underline" href={`/api/jobs/${jobId}/day/${visit.id}/${person.id}.pdf`}>
                  sheet, PDF
                </a>
                <a className="text-sm underline" href={`/api/jobs/${jobId}/day/${visit.id}/${person.id}.ics`}>
                  calendar
                </a>
              </>
            )}
            <Remove onClick={() => set(visit.people.filter((p) => p.id !== person.id))} />
          </li>
        ))}
        <li>
          <button
            className="button text-sm"
            onClick={() => {
              const id = freeName("P", visit.people);
              set([...visit.people, { id, name: id, roles: ["surveyor", "helper"] }]);
            }}
          >
            add person
          </button>
        </li>
      </ul>
    </section>
  );
}

/** Every task with its minutes and why so many; each can be argued with. */
function Tasks(props: {
  day: Day;
  visit: Visit;
  chosen: string | null;
  onChoose: (id: string | null) => void;
  onMinutes: (id: string, minutes: number | null) => void;
  onFree: (id: string) => void;
}) {
  const { day, visit, chosen } = props;
  const names = new Map(visit.people.map((p) => [p.id, p.name]));
  return (
    <table className="table mt-2 text-sm" data-testid="day-tasks">
      <thead>
        <tr>
          <th className="num">#</th>
          <th>task</th>
          <th className="num">from</th>
          <th className="num">to</th>
          <th>who</th>
          <th className="num">min</th>
          <th>why so long</th>
          <ActionsHead />
        </tr>
      </thead>
      <tbody>
        {day.tasks.map((task, k) => (
          <tr key={task.id} className={task.id === chosen ? "bg-settled-wash" : ""}>
            <td className="num">{k + 1}</td>
            <td>
              <button
                className="cursor-pointer text-left underline decoration-hairline"
                aria-pressed={task.id === chosen}
                onClick={() => props.onChoose(task.id === chosen ? null : task.id)}
              >
                {task.words}
              </button>
            </td>
            <td className="num">{clockOf(task.start)}</td>
            <td className="num">{clockOf(task.end)}</td>
            <td>{task.everybody ? "everybody" : task.people.map((id) => names.get(id) ?? id).join(", ")}</td>
            <td className="num">
              <NumberField
                label={`Minutes of ${task.words}`}
                value={task.minutes}
                decimals={0}
                width="w-16"
                onCommit={(minutes) => props.onMinutes(task.id, minutes)}
              />
            </td>
            <td className="text-quiet">
              {task.why}
              {task.id in visit.minutes && (
                <>
                  {" "}
                  <button className="cursor-pointer underline" onClick={() => props.onMinutes(task.id, null)}>
                    the usual
                  </button>
                </>
              )}
            </td>
            <td className="whitespace-nowrap">
              {(task.pinned || task.id in visit.takers) && (
                <button className="cursor-pointer underline" onClick={() => props.onFree(task.id)}>
                  take the pin away
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
