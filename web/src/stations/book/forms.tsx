import { useState } from "react";
import { useForm } from "react-hook-form";
import type { ControlPoint, Day, Said } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fine, fineUnit, grid, length, parseLength } from "../../lib/units";
import { verticalFrom } from "../../lib/slants";
import { unitName } from "../../ui/fields";
import { AskReceiver } from "../base/AskReceiver";
import { CardFace } from "../base/CardFace";
import { OnAir } from "../base/OnAir";
import { Big } from "./BookTray";
import { openPoints, said, subject, useMostApart, type Line } from "./useBook";

type Say = (said: Said) => void;
const TOUCH = "button min-h-[44px] px-3";

/** Figures in groups of three behind the point, for reading aloud and typing. */
function grouped(value: number, decimals: number): string {
  const [whole, rest] = value.toFixed(decimals).split(".");
  return rest ? `${whole}.${rest.replace(/(\d{3})(?=\d)/g, "$1\u202f")}` : whole!;
}

/** What to type: the card of every device of the set-up; where none is known yet, the heights that any may want. */
function TypeIn({ setup }: { setup: string }) {
  const { plan, summary } = usePlan();
  const chain = summary?.heights.find((h) => h.setup === setup);
  const cards = summary?.cards.filter((c) => c.setup === setup) ?? [];
  if (!chain) return null;
  if (cards.length)
    return (
      <div className="my-2 grid gap-2">
        {cards.map((card) => (
          <CardFace key={card.device} card={card} />
        ))}
      </div>
    );
  const unit = plan.brief.unit;
  return (
    <dl className="figures my-2 grid grid-cols-[auto_1fr] gap-x-3 border border-hairline p-2 text-lg">
      <dt className="text-sm">lat, {chain.datum}</dt>
      <dd>{grouped(chain.latitude, 9)}°</dd>
      <dt className="text-sm">lon</dt>
      <dd>{grouped(chain.longitude, 9)}°</dd>
      <dt className="text-sm">h ellipsoidal, mark</dt>
      <dd>
        {length(chain.mark_ellipsoidal, unit, 4)} {unitName(unit)}
      </dd>
      <dt className="text-sm">h ellipsoidal, ARP</dt>
      <dd>
        {length(chain.arp_ellipsoidal, unit, 4)} {unitName(unit)}
      </dd>
    </dl>
  );
}

type MeasuredTo = "slant" | "vertical" | "pole";

function HeightForm({ setup, when, say }: { setup: string; when: "before" | "after"; say: Say }) {
  const { plan } = usePlan();
  const pole = plan.setups.find((s) => s.id === setup)?.support === "fixed_pole";
  const { register, handleSubmit, watch, resetField, formState } = useForm<{ to: MeasuredTo; typed: string }>({
    mode: "onChange",
    defaultValues: { to: pole ? "pole" : "slant", typed: "" },
  });
  const read = handleSubmit(({ to, typed }) => {
    const metres = parseLength(typed, plan.brief.unit)!;
    say({ kind: "height", setup, measured_to: to, when, typed: typed.trim(), metres });
    resetField("typed");
  });
  const possible = (typed: string) => {
    const metres = parseLength(typed, plan.brief.unit);
    return metres !== null && metres > 0 && metres <= 10;
  };
  return (
    <form className="mt-2 flex flex-wrap items-end gap-2" onSubmit={(event) => void read(event)}>
      <label className="grid gap-1 text-sm">
        height read, {watch("to")}
        <input
          className="input figures min-h-[44px] w-36 text-lg"
          inputMode="text"
          placeholder={plan.brief.unit === "m" ? "1.843" : "6' 0 1/4\""}
          {...register("typed", { validate: possible })}
        />
      </label>
      <select className="input min-h-[44px]" aria-label="How the height was read" {...register("to")}>
        <option value="slant">slant</option>
        <option value="vertical">vertical</option>
        <option value="pole">pole</option>
      </select>
      <button className={TOUCH} disabled={!formState.isValid}>
        height read
      </button>
    </form>
  );
}

/** The heights read so far, each as the vertical that it comes to, and how far those lie apart: told at once, also without signal. */
function Heights({ setup, lines }: { setup: string; lines: Line[] }) {
  const { plan, summary } = usePlan();
  const row = plan.setups.find((s) => s.id === setup);
  const read = said(lines, "height").filter((h) => h.setup === setup);
  const up = read.map((h) =>
    h.measured_to === "slant"
      ? verticalFrom(h.metres, summary?.slants[row?.antenna ?? ""])
      : h.metres + (summary?.added[setup]?.[h.measured_to] ?? 0),
  );
  const known = up.filter((v) => v !== null);
  const apart = known.length > 1 ? Math.max(...known) - Math.min(...known) : 0;
  const unit = plan.brief.unit;
  const most = useMostApart();
  if (!read.length) return <p className="mt-1">No height read yet: twice, in two ways.</p>;
  return (
    <p className={`mt-1 ${apart > most ? "font-bold text-decision-text" : ""}`}>
      {read
        .map(
          (h, k) => `${h.typed} ${h.measured_to}${h.measured_to === "slant" ? ` (${length(up[k], unit, 4)} up)` : ""}`,
        )
        .join(" · ")}
      {known.length > 1 && ` — ${fine(apart, unit)} ${fineUnit(unit)} apart`}
      {apart > most && ": read again"}
    </p>
  );
}

export function BaseForm({ setup, lines, say }: { setup: string; lines: Line[]; say: Say }) {
  const { plan } = usePlan();
  const row = plan.setups.find((s) => s.id === setup);
  const stood = said(lines, "set_up")
    .filter((s) => s.setup === setup)
    .at(-1);
  const [mark, setMark] = useState(stood?.mark ?? row?.mark ?? plan.marks[0]?.id ?? "");
  const read = said(lines, "height").filter((h) => h.setup === setup).length;
  return (
    <>
      <TypeIn setup={setup} />
      {!stood && (
        <>
          <label className="grid gap-1 text-sm">
            over which mark
            <select
              className="input min-h-[44px] text-lg"
              value={mark}
              onChange={(event) => setMark(event.target.value)}
            >
              {plan.marks.map((m) => (
                <option key={m.id} value={m.id}>
                  {m.name}
                </option>
              ))}
            </select>
          </label>
          <Big onClick={() => say({ kind: "set_up", setup, mark, plummet_on: true, when: "before" })}>
            stands, plummet on the mark
          </Big>
          <button
            className={`${TOUCH} mt-2`}
            onClick={() => say({ kind: "set_up", setup, mark, plummet_on: false, when: "before" })}
          >
            stands, plummet is off
          </button>
        </>
      )}
      {stood && (
        <>
          <Heights setup={setup} lines={lines} />
          <HeightForm setup={setup} when="before" say={say} />
          <Heard setup={setup} lines={lines} say={say} />
          <Big disabled={read < 1} onClick={() => say({ kind: "log_start", setup })}>
            log is on
          </Big>
        </>
      )}
    </>
  );
}

/** What the base was heard to say of its position, and the means to hear it, where there is signal. */
function Heard({ setup, lines, say }: { setup: string; lines: Line[]; say: Say }) {
  const last = said(lines, "broadcast")
    .filter((h) => h.setup === setup)
    .at(-1);
  return (
    <>
      {last && <p className={last.as_planned ? "mt-1" : "mt-1 font-bold text-decision-text"}>{last.words}</p>}
      <details className="my-2">
        <summary className="min-h-[44px] cursor-pointer py-2 underline">hear where it says it is</summary>
        <OnAir setup={setup} say={say} />
        <AskReceiver setup={setup} say={say} />
      </details>
    </>
  );
}

export function BaseInForm({ setup, lines, say }: { setup: string; lines: Line[]; say: Say }) {
  const stood = said(lines, "set_up").filter((s) => s.setup === setup);
  const mark = stood.at(-1)?.mark;
  const after = stood.find((s) => s.when === "after");
  const plummet = (plummet_on: boolean) => mark && say({ kind: "set_up", setup, mark, plummet_on, when: "after" });
  return (
    <>
      {after && <p>plummet {after.plummet_on ? "still on the mark" : "OFF the mark"}</p>}
      {mark && !after && (
        <div className="flex flex-wrap gap-2">
          <button className={TOUCH} onClick={() => plummet(true)}>
            plummet still on the mark
          </button>
          <button className={TOUCH} onClick={() => plummet(false)}>
            plummet is off now
          </button>
        </div>
      )}
      <Heights setup={setup} lines={lines} />
      <HeightForm setup={setup} when="after" say={say} />
      <Big onClick={() => say({ kind: "log_end", setup })}>logging stopped, base packed</Big>
    </>
  );
}

export function LegForm({ task, say }: { task: Day["tasks"][number]; say: Say }) {
  const { plan, summary } = usePlan();
  const { unit } = plan.brief;
  const flight = subject(task);
  const leg = task.number;
  const own = summary?.flights.find((f) => f.id === flight);
  const strips = own?.strips.filter((s) => s.sortie === leg - 1) ?? [];
  const planned = strips.reduce((sum, s) => sum + s.exposures, 0);
  const count = planned ? String(planned) : "";
  const { register, handleSubmit, formState } = useForm({
    mode: "onChange",
    defaultValues: { images: count, positions: count, share: "0", battery: "" },
  });
  const landed = handleSubmit(({ images, positions, share, battery }) =>
    say({
      kind: "leg",
      flight,
      leg,
      images: Number(images),
      positions: Number(positions),
      not_fixed: Number(share) / 100,
      battery: battery.trim(),
    }),
  );
  const whole = { pattern: /^\s*\d+\s*$/, required: true };
  const percent = { validate: (text: string) => !!text.trim() && Number(text) >= 0 && Number(text) <= 100 };
  const box = { className: "input figures min-h-[44px] w-24 text-lg", maxLength: 20 };
  return (
    <form onSubmit={(event) => void landed(event)}>
      <p>
        {planned} images planned{own && ` · trigger every ${length(own.trigger_distance, unit, 1)} ${unitName(unit)}`}
      </p>
      <div className="mt-1 flex flex-wrap gap-3">
        <label className="grid gap-1 text-sm">
          images
          <input {...box} inputMode="numeric" {...register("images", whole)} />
        </label>
        <label className="grid gap-1 text-sm">
          positions
          <input {...box} inputMode="numeric" {...register("positions", whole)} />
        </label>
        <label className="grid gap-1 text-sm">
          not fixed, %
          <input {...box} inputMode="numeric" {...register("share", percent)} />
        </label>
        <label className="grid gap-1 text-sm">
          battery
          <input {...box} {...register("battery")} />
        </label>
      </div>
      <Big disabled={!formState.isValid}>landed</Big>
      <button type="button" className={`${TOUCH} mt-2`} onClick={() => say({ kind: "leg_not_flown", flight, leg })}>
        not flown
      </button>
    </form>
  );
}

/** A point that had to be laid out somewhere else: its coordinates as they were read there. */
function Elsewhere({ point, say }: { point: ControlPoint; say: Say }) {
  const { plan } = usePlan();
  const unit = plan.brief.unit;
  const { register, handleSubmit, formState } = useForm({ mode: "onChange", defaultValues: { E: "", N: "" } });
  const metres = (text: string) => parseLength(text, unit);
  const lies = handleSubmit(({ E, N }) =>
    say({ kind: "target_moved", point: point.id, e: metres(E)!, n: metres(N)!, after_observed: false }),
  );
  return (
    <details className="mt-2">
      <summary className="min-h-[44px] cursor-pointer underline">it lies elsewhere</summary>
      <form className="flex flex-wrap items-end gap-2" onSubmit={(event) => void lies(event)}>
        {(["E", "N"] as const).map((axis) => (
          <label key={axis} className="grid gap-1 text-sm">
            {axis}, {unitName(unit)}
            <input
              className="input figures min-h-[44px] w-36 text-lg"
              inputMode="decimal"
              {...register(axis, { validate: (text) => metres(text) !== null })}
            />
          </label>
        ))}
        <button className={TOUCH} disabled={!formState.isValid}>
          it lies there
        </button>
      </form>
    </details>
  );
}

const REASONS = ["under water", "fenced or locked", "overgrown", "not safe", "no permission"];

/** A point that could not be reached: why, by one touch or in words. */
function NotReached({ point, say }: { point: ControlPoint; say: Say }) {
  const [why, setWhy] = useState("");
  const not = (words: string) => say({ kind: "not_reached", point: point.id, why: words });
  return (
    <details className="mt-2 w-full">
      <summary className="min-h-[44px] cursor-pointer underline">not reached</summary>
      <p className="text-sm">Why is {point.name} not reached?</p>
      <div className="mt-1 flex flex-wrap gap-2">
        {REASONS.map((reason) => (
          <button key={reason} className={TOUCH} onClick={() => not(reason)}>
            {reason}
          </button>
        ))}
        <input
          className="input min-h-[44px] min-w-40 flex-1"
          aria-label="Another reason"
          placeholder="another reason"
          maxLength={200}
          value={why}
          onChange={(event) => setWhy(event.target.value)}
        />
        <button className={TOUCH} disabled={!why.trim()} onClick={() => not(why.trim())}>
          write it down
        </button>
      </div>
    </details>
  );
}

/** Whether a point's occupation of this number is its own log. */
function logs(point: ControlPoint, number: number): boolean {
  const one = point.occupations[Math.min(number, point.occupations.length) - 1];
  return (one?.positioned_from ?? point.positioned_from).on === "session";
}

/** A target that logs for itself: switched on, and where it lies; it is switched off when it is taken up. */
function LogForm({ point, say }: { point: ControlPoint; say: Say }) {
  const [place, setPlace] = useState("");
  const own = point.positioned_from.on === "session" ? point.positioned_from.hours : null;
  return (
    <>
      <p className="mt-1">
        It logs for itself{own !== null && `, ${own} h as planned`}: switch it on, and off when it is taken up.
      </p>
      <label className="mt-1 grid gap-1 text-sm">
        where it lies, as its display or the peg says
        <input
          className="input min-h-[44px] text-lg"
          maxLength={60}
          value={place}
          onChange={(event) => setPlace(event.target.value)}
        />
      </label>
      <Big onClick={() => say({ kind: "session_on", point: point.id, place: place.trim() })}>its log is on</Big>
      <Elsewhere point={point} say={say} />
      <NotReached point={point} say={say} />
    </>
  );
}

/** What the points of a task are observed with, as long as it is said otherwise: the pole's height as typed, and the base where it
 * is another than planned. */
interface Rover {
  pole: string;
  setup: string | null;
}

function RoverForm({ rover, onChange }: { rover: Rover; onChange: (rover: Rover) => void }) {
  const { plan } = usePlan();
  const told = [rover.pole && `pole ${rover.pole}`, plan.setups.find((s) => s.id === rover.setup)?.name];
  return (
    <details className="mt-2">
      <summary className="min-h-[44px] cursor-pointer underline">
        {told.some(Boolean) ? `with ${told.filter(Boolean).join(", from ")}` : "pole and base"}
      </summary>
      <div className="flex flex-wrap items-end gap-2">
        <label className="grid gap-1 text-sm">
          pole, {unitName(plan.brief.unit)}
          <input
            className="input figures min-h-[44px] w-28 text-lg"
            value={rover.pole}
            onChange={(event) => onChange({ ...rover, pole: event.target.value })}
          />
        </label>
        <label className="grid gap-1 text-sm">
          observed from
          <select
            className="input min-h-[44px]"
            value={rover.setup ?? ""}
            onChange={(event) => onChange({ ...rover, setup: event.target.value || null })}
          >
            <option value="">as planned</option>
            {plan.setups.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
          </select>
        </label>
      </div>
    </details>
  );
}

/** Points in the order they are reached: one touch each. */
export function PointsForm({ task, lines, say }: { task: Day["tasks"][number]; lines: Line[]; say: Say }) {
  const { plan, summary } = usePlan();
  const unit = plan.brief.unit;
  const observe = task.kind === "observe";
  const laying = task.kind === "targets_out";
  const counted = (point: string) => said(lines, "occupation").filter((s) => s.point === point).length;
  const open = openPoints(task, lines).flatMap((id) => plan.control.find((p) => p.id === id) ?? []);
  const [first, ...rest] = open;
  const [rover, setRover] = useState<Rover>({ pole: "", setup: null });
  if (!first) return null;
  const place = plan.control.indexOf(first);
  const height = first.h ?? summary?.control_h[place];
  const epochs = first.occupations[Math.min(task.number, first.occupations.length) - 1]?.epochs ?? 60;
  const ofPoint = <T extends { point: string }>(some: T[]) => some.filter((s) => s.point === first.id).length;
  const running = ofPoint(said(lines, "session_on")) > ofPoint(said(lines, "session_off"));
  const lifted = task.kind === "targets_in" && running; // its log still runs
  const occupied = (state: "fixed" | "float" | "code") =>
    say({
      kind: "occupation",
      point: first.id,
      state,
      epochs,
      pole: parseLength(rover.pole, unit),
      setup: rover.setup,
    });
  return (
    <>
      <p className="mt-1 text-2xl font-bold">{first.name}</p>
      <p className="figures text-lg">
        E {grid(first.e, unit, 2)} N {grid(first.n, unit, 2)} H {length(height, unit, 2)} {unitName(unit)}
      </p>
      {observe && logs(first, task.number) ? (
        <LogForm key={first.id} point={first} say={say} />
      ) : observe ? (
        <>
          <Big onClick={() => occupied("fixed")}>fixed, {epochs} epochs</Big>
          <RoverForm rover={rover} onChange={setRover} />
          <div className="mt-2 flex flex-wrap gap-2">
            <button className={TOUCH} onClick={() => occupied("float")}>
              float
            </button>
            <NotReached key={first.id} point={first} say={say} />
            {counted(first.id) > 0 && (
              <button
                className={TOUCH}
                onClick={() =>
                  say({ kind: "target_moved", point: first.id, e: first.e, n: first.n, after_observed: true })
                }
              >
                moved since it was observed
              </button>
            )}
          </div>
        </>
      ) : (
        <>
          <Big
            onClick={() => {
              if (lifted) say({ kind: "session_off", point: first.id });
              say({ kind: laying ? "target_out" : "target_in", point: first.id });
            }}
          >
            {laying ? "it lies there" : lifted ? "logging stopped, taken up" : "taken up"}
          </Big>
          {laying && (
            <>
              <NotReached key={`${first.id} reach`} point={first} say={say} />
              <Elsewhere key={first.id} point={first} say={say} />
            </>
          )}
        </>
      )}
      {rest.length > 0 && <p className="mt-2 text-sm text-quiet">then {rest.map((p) => p.name).join(", ")}</p>}
    </>
  );
}
