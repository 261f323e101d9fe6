import { useRef, useState } from "react";
import type { Day, Visit } from "../api/client";
import { clockOf } from "../stations/day/useDay";

type Task = Day["tasks"][number];
const STEP = 5; // minutes that a drag snaps to
const WIDE = 0.09; // of the row: from there on a bar has room for words

/** The day by person: bars on a clock, the light behind them; a bar is dragged to be pinned, or to somebody else's row. */
export function DayRows(props: {
  day: Day;
  visit: Visit;
  chosen: string | null;
  onChoose: (task: string | null) => void;
  onPin: (task: string, minute: number, person: string | null) => void;
}) {
  const { day, visit, chosen } = props;
  const placed = day.tasks.filter((t) => t.start !== null);
  const first = 60 * Math.floor(Math.min(...placed.map((t) => t.start!)) / 60);
  const last = 60 * Math.ceil(Math.max(...placed.map((t) => t.end!)) / 60);
  const at = (minute: number) => (100 * (minute - first)) / (last - first);
  const hours = Array.from({ length: (last - first) / 60 + 1 }, (_, k) => first + 60 * k);
  const waited = new Set(day.tasks.find((t) => t.id === chosen)?.waits_for);
  return (
    <div className="overflow-x-auto">
      <div
        className="grid grid-cols-[110px_minmax(0,1fr)] pr-6 pb-1 text-sm"
        role="group"
        aria-label="The day by person"
      >
        <span />
        <div className="figures relative h-5 text-xs">
          {hours.map((m, k) => (
            <span
              key={m}
              className={`absolute -translate-x-1/2 ${k % 2 ? "max-[799px]:hidden" : ""}`}
              style={{ left: `${at(m)}%` }}
            >
              {clockOf(m)}
            </span>
          ))}
        </div>
        {visit.people.map((person) => (
          <Row
            key={person.id}
            person={person}
            tasks={placed.filter((t) => t.people.includes(person.id))}
            {...{ day, at, first, last, hours, waited, chosen }}
            numbers={day.tasks}
            onChoose={props.onChoose}
            onPin={props.onPin}
          />
        ))}
      </div>
    </div>
  );
}

function Row(props: {
  person: Visit["people"][number];
  tasks: Task[];
  numbers: Task[];
  day: Day;
  at: (minute: number) => number;
  first: number;
  last: number;
  hours: number[];
  waited: Set<string | undefined>;
  chosen: string | null;
  onChoose: (task: string | null) => void;
  onPin: (task: string, minute: number, person: string | null) => void;
}) {
  const { person, day, at, first, last } = props;
  const { light } = day;
  return (
    <>
      <span className="self-center truncate pr-2 font-medium" title={person.name}>
        {person.name}
      </span>
      <div className="relative my-0.5 h-9 border-y border-hairline bg-sheet" data-person={person.id}>
        {light.rise !== null && <Dark from={first} to={light.rise} at={at} />}
        {light.set !== null && <Dark from={light.set} to={last} at={at} />}
        {light.first !== null && light.last !== null && (
          <span
            className="absolute inset-y-0 border-x border-dashed border-settled"
            style={{
              left: `${Math.max(0, at(light.first))}%`,
              width: `${Math.min(100, at(light.last)) - Math.max(0, at(light.first))}%`,
            }}
          />
        )}
        {props.hours.map((m) => (
          <span key={m} className="absolute inset-y-0 border-l border-hairline" style={{ left: `${at(m)}%` }} />
        ))}
        {props.tasks.map((task) => (
          <Bar
            key={task.id}
            task={task}
            number={props.numbers.indexOf(task) + 1}
            left={at(task.start!)}
            width={at(task.end!) - at(task.start!)}
            minutesAcross={last - first}
            mark={props.chosen === task.id ? "chosen" : props.waited.has(task.id) ? "waited" : ""}
            onChoose={() => props.onChoose(props.chosen === task.id ? null : task.id)}
            onPin={(minute, to) => props.onPin(task.id, minute, to === person.id || task.everybody ? null : to)}
          />
        ))}
      </div>
    </>
  );
}

function Dark({ from, to, at }: { from: number; to: number; at: (minute: number) => number }) {
  const left = Math.max(0, at(from));
  const right = Math.min(100, at(to));
  if (right <= left) return null;
  return <span className="absolute inset-y-0 bg-hairline/60" style={{ left: `${left}%`, width: `${right - left}%` }} />;
}

function Bar(props: {
  task: Task;
  number: number;
  left: number;
  width: number;
  minutesAcross: number;
  mark: "" | "chosen" | "waited";
  onChoose: () => void;
  onPin: (minute: number, person: string | null) => void;
}) {
  const { task } = props;
  const bar = useRef<HTMLButtonElement>(null);
  const [moved, setMoved] = useState(0); // pixels, while it is dragged
  const began = useRef<{ x: number; perMinute: number } | null>(null);
  const minutes = (x: number) => STEP * Math.round((x - began.current!.x) / began.current!.perMinute / STEP);
  const ground = task.kind === "leg" ? "var(--leg)" : task.stage === "site" ? "var(--in-0)" : "var(--paper)";
  const outline = { chosen: "outline-3 outline-decision", waited: "outline-2 outline-dashed outline-decision", "": "" };
  return (
    <button
      ref={bar}
      className={`absolute inset-y-1 cursor-grab touch-none overflow-hidden border border-ink text-left text-xs whitespace-nowrap text-ink ${outline[props.mark]} ${props.width > 2 ? "px-0.5" : ""}`}
      style={{
        background: ground,
        left: `${props.left}%`,
        width: `max(${props.width}%, min(6px, 0.8%))`,
        marginLeft: moved && `${moved}px`,
      }}
      title={`${props.number} ${task.words}, ${clockOf(task.start)} to ${clockOf(task.end)}${task.pinned ? ", pinned" : ""}`}
      aria-label={`${props.number} ${task.words}, ${clockOf(task.start)} to ${clockOf(task.end)}${task.pinned ? ", pinned" : ""}`}
      aria-pressed={props.mark === "chosen"}
      onClick={props.onChoose}
      onKeyDown={(event) => {
        if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
        event.stopPropagation();
        props.onPin(task.start! + (event.key === "ArrowRight" ? STEP : -STEP), null);
      }}
      onPointerDown={(event) => {
        const across = bar.current!.parentElement!.getBoundingClientRect().width;
        began.current = { x: event.clientX, perMinute: across / props.minutesAcross };
        bar.current!.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => began.current && setMoved(minutes(event.clientX) * began.current.perMinute)}
      onPointerUp={(event) => {
        if (!began.current) return;
        const by = minutes(event.clientX);
        began.current = null;
        setMoved(0);
        const row = document
          .elementsFromPoint(event.clientX, event.clientY)
          .find((element) => element instanceof HTMLElement && element.dataset.person) as HTMLElement | undefined;
        const to = row?.dataset.person ?? null;
        const own = bar.current!.parentElement!.dataset.person;
        if (by || (to && to !== own)) props.onPin(task.start! + by, to);
      }}
    >
      {task.pinned && "▾"}
      {props.number}
      {props.width / 100 > WIDE && ` ${task.words}`}
    </button>
  );
}
