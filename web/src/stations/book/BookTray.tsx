import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Day, Plan, Said, Schemas } from "../../api/client";
import { here, useOutbox, usePlan } from "../../app/plan";
import { useMay, useSession } from "../../app/session";
import { fine, fineUnit, length } from "../../lib/units";
import { FileInput } from "../../ui/FileInput";
import { unitName } from "../../ui/fields";
import { clockOf, useDay } from "../day/useDay";
import { Correct, correctable } from "./Correct";
import { keepPicture } from "./picture";
import { isDone, subject, useBook, useMostApart, type Line } from "./useBook";
import { BaseForm, BaseInForm, LegForm, PointsForm } from "./forms";

type Task = Day["tasks"][number];

/** The field book, one column: what to do now, what may be expected of what was done, and the whole book behind it. */
export function BookTray() {
  const { plan, answer } = usePlan();
  const [chosen, setChosen] = useState<string | null>(null);
  const visit = plan.visits.find((v) => v.id === chosen) ?? visitOf(plan.visits);
  const session = useSession();
  const { book, asked, lines, say } = useBook(visit?.id ?? "visit", session.data?.name ?? "");
  const clock = useQuery<string>({ queryKey: ["clock"], queryFn: () => "", enabled: false });
  const { day } = useDay(visit);
  const [open, setOpen] = useState<string | null>(null);
  const tasks = [...(day?.tasks ?? [])].sort((a, b) => (a.start ?? 0) - (b.start ?? 0));
  const left = tasks.filter((t) => !isDone(t, lines));
  const now = left.find((t) => t.id === open) ?? left[0];
  const mayWrite = useMay("book") && !answer.frozen;
  return (
    <div className="mx-auto max-w-xl text-base" data-testid="book">
      <h2 className="sr-only">Book</h2>
      <Unsent />
      {clock.data && (
        <p role="alert" className="my-1 border-l-4 border-decision bg-decision-wash px-2 py-1">
          {clock.data}
        </p>
      )}
      {plan.visits.length > 1 && (
        <label className="flex items-center gap-2 text-sm">
          visit
          <select className="input" value={visit?.id} onChange={(event) => setChosen(event.target.value)}>
            {plan.visits.map((v) => (
              <option key={v.id} value={v.id}>
                {v.name} {v.date}
              </option>
            ))}
          </select>
        </label>
      )}
      {!visit && <p>No visit is planned. Plan one in Day (7); its tasks then come here one by one.</p>}
      {visit && !day && <p>The day is not on this device yet: open it once with signal.</p>}
      {now && mayWrite && (
        <Now key={now.id} task={now} lines={lines} say={say}>
          <Photo words={now.words} say={say} />
        </Now>
      )}
      {day && !now && (
        <p className="border border-settled p-3 text-lg font-bold text-settled">All that was planned is done.</p>
      )}
      <Third book={book} asked={asked} say={say} />
      {left.length > 1 && (
        <section aria-label="Next" className="mt-3">
          <h3 className="font-bold">next</h3>
          <ul>
            {left
              .filter((t) => t.id !== now?.id)
              .slice(0, 12)
              .map((t) => (
                <li key={t.id}>
                  <button
                    className="flex min-h-[44px] w-full cursor-pointer items-center gap-3 border-b border-hairline text-left"
                    onClick={() => setOpen(t.id)}
                  >
                    <span className="figures">{clockOf(t.start)}</span>
                    <span className="flex-1">{t.words}</span>
                  </button>
                </li>
              ))}
          </ul>
        </section>
      )}
      {mayWrite && <Free say={say} />}
      <Whole lines={lines} say={say} />
    </div>
  );
}

/** Today's visit, else the next one to come, else the last that was. */
function visitOf(visits: Plan["visits"]): Plan["visits"][number] | undefined {
  const today = here().slice(0, 10);
  const dated = [...visits].filter((v) => v.date).sort((a, b) => a.date.localeCompare(b.date));
  return dated.find((v) => v.date >= today) ?? dated.at(-1) ?? visits[0];
}

function Unsent() {
  const { entries, reached } = useOutbox();
  const waiting = entries.filter((e) => !e.refused).length;
  if (!waiting && reached) return null;
  return (
    <p className="my-1 border border-decision px-2 py-1 font-medium text-decision-text" data-testid="unsent">
      {waiting ? `${waiting} waiting to be sent` : "nothing waiting"}
      {reached ? "" : ", no signal"}. What you write is kept on this device.
    </p>
  );
}

/** One task, large, with what it wants written down. */
function Now(props: { task: Task; lines: Line[]; say: (said: Said) => void; children: React.ReactNode }) {
  const { task, lines, say } = props;
  const done = () => say({ kind: "tick", what: task.id });
  return (
    <section aria-label="Now" className="mt-2 border-2 border-ink bg-sheet p-3">
      <p className="flex justify-between text-sm">
        <span className="font-bold">NOW</span>
        <span className="figures">
          {clockOf(task.start)} to {clockOf(task.end)}
        </span>
      </p>
      <h3 className="text-xl font-bold">{task.words}</h3>
      {task.kind === "base_in" ? (
        <BaseInForm setup={subject(task)} lines={lines} say={say} />
      ) : task.kind === "base" ? (
        <BaseForm setup={subject(task)} lines={lines} say={say} />
      ) : task.kind === "leg" ? (
        <LegForm task={task} say={say} />
      ) : ["targets_out", "targets_in", "observe"].includes(task.kind) ? (
        <PointsForm task={task} lines={lines} say={say} />
      ) : (
        <Big
          onClick={() =>
            task.kind === "way_out"
              ? say({ kind: "arrival" })
              : task.kind === "way_back"
                ? say({ kind: "departure" })
                : done()
          }
        >
          {task.kind === "way_out" ? "we are on site" : task.kind === "way_back" ? "we leave the site" : "done"}
        </Big>
      )}
      <div className="mt-2 flex flex-wrap items-center gap-4">
        {props.children}
        {writes(task) && (
          <button className="min-h-[44px] cursor-pointer underline" onClick={done}>
            tick it off without writing more
          </button>
        )}
      </div>
    </section>
  );
}

/** Whether a task wants more written than that it is done. */
function writes(task: Task): boolean {
  return !["other", "way_out", "way_back"].includes(task.kind);
}

/** What comes next, in one large button; within a form the one that sends it. */
export function Big(props: { onClick?: () => void; disabled?: boolean; children: React.ReactNode }) {
  return (
    <button
      className="mt-2 min-h-[48px] w-full cursor-pointer border-2 border-ink bg-ink px-3 text-lg font-bold text-sheet disabled:opacity-50"
      disabled={props.disabled}
      onClick={props.onClick}
    >
      {props.children}
    </button>
  );
}

type SayMore = (said: Said, corrects?: string | null, attachments?: string[]) => void;

/** A picture, kept on this device until there is signal. */
function Photo({ words, say }: { words: string; say: SayMore }) {
  const [problem, setProblem] = useState("");
  async function take(file: File) {
    setProblem("");
    try {
      say({ kind: "photo", words }, null, [await keepPicture(file)]);
    } catch {
      setProblem("This picture cannot be read: take it as JPEG.");
    }
  }
  return (
    <>
      <FileInput
        className="min-h-[44px] px-4"
        label="photo"
        words="photo"
        reads="picture"
        camera
        onFile={(file) => void take(file)}
      />
      {problem && <span role="alert">{problem}</span>}
    </>
  );
}

/** The third answer: given what was done, with the time it was computed. */
function Third({
  book,
  asked,
  say,
}: {
  book: Schemas["BookOut"] | undefined;
  asked: number;
  say: (said: Said, corrects?: string) => void;
}) {
  const { plan } = usePlan();
  const unit = plan.brief.unit;
  const most = useMostApart();
  if (!book?.entries.length) return null;
  return (
    <section aria-label="As done" className="mt-3 border border-hairline bg-sheet p-2">
      {book.done && (
        <p className="text-lg">
          as done{" "}
          <span className="figures font-bold">
            H {fine(book.done.rmse_h, unit)} V {fine(book.done.rmse_v, unit)} {fineUnit(unit)}
          </span>{" "}
          {book.done.good ? "● keeps its tolerance" : "◐ not sure of its tolerance"}
        </p>
      )}
      <p data-testid="enough">{book.enough}</p>
      {Object.entries(book.left.differences).map(([setup, metres]) => (
        <p key={setup} className={metres > most ? "font-bold text-decision-text" : ""}>
          heights at {plan.setups.find((s) => s.id === setup)?.name ?? setup} differ by {fine(metres, unit)}{" "}
          {fineUnit(unit)}
          {metres > most && `: more than ${fine(most, unit)} ${fineUnit(unit)}, read again`}
          {book.left.odd[setup] && (
            <>
              . {book.left.odd[setup].words}.{" "}
              <button
                className="button min-h-[44px] px-3"
                onClick={() =>
                  say({ kind: "withdrawn", why: book.left.odd[setup]!.words }, book.left.odd[setup]!.entry)
                }
              >
                leave that one out
              </button>
            </>
          )}
        </p>
      ))}
      <p className="text-sm text-quiet">as of {new Date(asked).toLocaleTimeString("en-GB")}</p>
    </section>
  );
}

/** What can always be written. */
function Free({ say }: { say: SayMore }) {
  const [words, setWords] = useState("");
  const write = (kind: "note" | "incident" | "weather") => {
    say({ kind, words: words.trim() });
    setWords("");
  };
  return (
    <section aria-label="Note" className="mt-3">
      <textarea
        className="input min-h-16 w-full"
        aria-label="A note"
        placeholder="anything worth writing down"
        value={words}
        onChange={(event) => setWords(event.target.value)}
      />
      <div className="flex flex-wrap gap-2">
        {words.trim() && <Photo words={words.trim()} say={say} />}
        {(["note", "weather", "incident"] as const).map((kind) => (
          <button key={kind} className="button min-h-[44px] px-4" disabled={!words.trim()} onClick={() => write(kind)}>
            {kind}
          </button>
        ))}
      </div>
    </section>
  );
}

/** All entries, the last first; each can be taken back by another that says so. */
function Whole({ lines, say }: { lines: Line[]; say: (said: Said, corrects?: string) => void }) {
  const { plan, jobId, answer } = usePlan();
  const [open, setOpen] = useState<string | null>(null);
  const mayWrite = useMay("book") && !answer.frozen;
  if (!lines.length) return null;
  return (
    <details className="mt-3">
      <summary className="min-h-[44px] cursor-pointer font-bold">
        book ({lines.length} {lines.length === 1 ? "entry" : "entries"})
      </summary>
      <ol>
        {[...lines].reverse().map(({ entry, stands, waiting }) => (
          <li key={entry.id} className="flex flex-wrap items-center gap-3 border-b border-hairline py-1">
            <span className="figures text-sm">{entry.at.slice(11, 16)}</span>
            <span className={`min-w-40 flex-1 ${stands ? "" : "text-quiet line-through"}`}>
              {told(entry.said, plan)}
              <span className="block text-sm text-quiet">
                {entry.by}, {entry.device}
                {waiting && ", waiting"}
                {entry.corrects && ", corrects an earlier one"}
              </span>
              {!waiting &&
                entry.attachments.map((digest) => (
                  <a key={digest} href={`/api/jobs/${jobId}/pictures/${digest}`} target="_blank" rel="noreferrer">
                    <img
                      className="h-16 border border-hairline"
                      src={`/api/jobs/${jobId}/pictures/${digest}`}
                      alt={entry.said.kind === "photo" ? entry.said.words : "picture"}
                      loading="lazy"
                    />
                  </a>
                ))}
            </span>
            {stands && mayWrite && (
              <>
                {correctable(entry.said) && (
                  <button
                    className="min-h-[44px] cursor-pointer text-sm underline"
                    aria-expanded={open === entry.id}
                    onClick={() => setOpen(open === entry.id ? null : entry.id)}
                  >
                    correct
                  </button>
                )}
                <button
                  className="min-h-[44px] cursor-pointer text-sm underline"
                  onClick={() => say({ kind: "withdrawn", why: "" }, entry.id)}
                >
                  take back
                </button>
              </>
            )}
            {open === entry.id && (
              <Correct
                said={entry.said}
                onSay={(said) => {
                  say(said, entry.id);
                  setOpen(null);
                }}
              />
            )}
          </li>
        ))}
      </ol>
    </details>
  );
}

/** An entry in words, with the names that things have now. */
function told(entry: Said, plan: Plan): string {
  const { unit } = plan.brief;
  const name = (rows: { id: string; name: string }[], id: string) => rows.find((row) => row.id === id)?.name ?? id;
  const point = "point" in entry ? name(plan.control, entry.point) : "";
  const setup = "setup" in entry && entry.setup ? name(plan.setups, entry.setup) : "";
  const flight = "flight" in entry ? name(plan.flights, entry.flight) : "";
  switch (entry.kind) {
    case "set_up":
      return `${setup} stands on ${name(plan.marks, entry.mark)}, plummet ${entry.plummet_on ? "on the mark" : "NOT on the mark"}, ${entry.when}`;
    case "height":
      return `${setup}: ${entry.measured_to} height ${entry.typed} (${length(entry.metres, unit, 4)} ${unitName(unit)}), ${entry.when}`;
    case "broadcast":
      return `${setup} heard by its ${entry.by} ${entry.source}, ${entry.as_planned ? "as planned" : "NOT as planned"}: ${entry.words}`;
    case "log_start":
    case "log_end":
      return `${setup}: log ${entry.kind === "log_start" ? "on" : "off"}`;
    case "occupation":
      return `${point} ${entry.state}, ${entry.epochs} epochs${entry.pole ? `, pole ${length(entry.pole, unit)} ${unitName(unit)}` : ""}${setup ? `, from ${setup}` : ""}`;
    case "target_moved":
      return `${point} lies elsewhere${entry.after_observed ? ", moved after it was observed" : ""}`;
    case "target_out":
    case "target_in":
      return `${point} ${entry.kind === "target_out" ? "out" : "in"}`;
    case "not_reached":
      return `${point} not reached${entry.why ? `: ${entry.why}` : ""}`;
    case "session_on":
      return `${point}: its log on${entry.place ? `, ${entry.place}` : ""}`;
    case "session_off":
      return `${point}: its log off`;
    case "leg":
      return `${flight}, sortie ${entry.leg}: ${entry.images} images, ${entry.positions} positions, ${Math.round(100 * entry.not_fixed)} % not fixed${entry.battery ? `, battery ${entry.battery}` : ""}`;
    case "leg_not_flown":
      return `${flight}, sortie ${entry.leg} not flown`;
    case "tick":
      return `done: ${entry.what}`;
    case "withdrawn":
      return entry.why ? `taken back: ${entry.why}` : "taken back";
    case "arrival":
      return "on site";
    case "departure":
      return "left the site";
    default:
      return `${entry.kind}: ${entry.words}`;
  }
}
