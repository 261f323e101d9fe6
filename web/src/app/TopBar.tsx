import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { call, type Session } from "../api/client";
import { clock, length, UNITS } from "../lib/units";
import { useOutbox, usePlan, useProgress } from "./plan";
import { store } from "./store";
import { useNavigation } from "./workbench/navigation";

const THEMES = ["light", "dark", "field"] as const;

/** Light for the office, dark for the night, field for the sun. */
export function ThemeChoice() {
  const [theme, setTheme] = useState(document.documentElement.dataset.theme ?? "light");
  return (
    <select
      className="input"
      aria-label="Appearance"
      value={theme}
      onChange={(event) => {
        document.documentElement.dataset.theme = event.target.value;
        localStorage.setItem("kardo-theme", event.target.value);
        setTheme(event.target.value);
        window.dispatchEvent(new Event("kardo-theme"));
      }}
    >
      {THEMES.map((t) => (
        <option key={t}>{t}</option>
      ))}
    </select>
  );
}

export function SignOut() {
  const client = useQueryClient();
  return (
    <button
      className="cursor-pointer underline"
      onClick={async () => {
        const session = await call<Session>("DELETE", "/session");
        // set, not cleared: who looks at a query that is cleared is not told what comes in its place
        client.setQueryData(["session"], session);
        client.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== "session" });
        await store.kept.clear();
      }}
    >
      sign out
    </button>
  );
}

/** Job, saved time, and the datum strip: grid, heights, unit, epoch, always in sight. */
export function TopBar({ session }: { session: Session }) {
  const { plan, answer, summary, step } = usePlan();
  const { entries } = useOutbox();
  const canUndo = answer.can_undo || entries.length > 0;
  const { open } = useNavigation();
  const datum = summary?.datum;
  const { unit, epoch } = plan.brief;
  return (
    <header className="flex min-h-10 flex-wrap items-center gap-x-3 gap-y-1 border-b border-ink bg-sheet px-3 py-1 min-[1100px]:flex-nowrap min-[1100px]:py-0">
      <Link to="/" className="text-lg font-bold text-decision-text" title="All jobs">
        Kardo
      </Link>
      {/* Before what changes its width: a button that moves between press and release takes no click. */}
      <span className="flex gap-1">
        <button className="button" disabled={!canUndo} onClick={() => void step("undo")} title="Undo (Ctrl+Z)">
          ↶<span className="sr-only">Undo</span>
        </button>
        <button
          className="button"
          disabled={!answer.can_redo}
          onClick={() => void step("redo")}
          title="Redo (Ctrl+Shift+Z)"
        >
          ↷<span className="sr-only">Redo</span>
        </button>
      </span>
      <h1
        className="min-w-16 shrink-[999] truncate font-medium max-[1099px]:flex-1 max-[1099px]:basis-16"
        title={plan.brief.title}
      >
        {plan.brief.title}
      </h1>
      <Saved />
      <span className="flex-1" />
      <button
        className="flex min-w-0 max-[1099px]:order-last max-[1099px]:w-full max-[1099px]:flex-wrap shrink cursor-pointer divide-x divide-hairline overflow-hidden border border-hairline text-sm whitespace-nowrap hover:bg-settled-wash"
        onClick={() => (plan.brief.crs ? open("base", "card") : open("brief"))}
        title="The height chain of the base"
        data-testid="datum-strip"
      >
        <DatumItem name="grid" value={datum?.grid ?? "not chosen"} />
        <DatumItem
          name="heights"
          value={
            datum
              ? datum.heights.replace(" height", "") +
                (datum.separation
                  ? `, N ${length(datum.separation, unit, 2)} ${UNITS[unit]!.short}${datum.stated ? " stated" : ""}`
                  : "")
              : "not chosen"
          }
        />
        {plan.brief.local && <DatumItem name="delivered in" value={plan.brief.local.name} />}
        <DatumItem name="unit" value={UNITS[unit]!.short} />
        {epoch && <DatumItem name="epoch" value={epoch} />}
        {datum?.scale_ppm != null && <DatumItem name="grid ÷ ground" value={`${datum.scale_ppm.toFixed(0)} ppm`} />}
      </button>
      <ThemeChoice />
      <span className="hidden text-sm whitespace-nowrap min-[1400px]:inline">{session.name}</span>
      <span className="text-sm whitespace-nowrap">
        <SignOut />
      </span>
    </header>
  );
}

/** Whether what was typed has reached the server. */
function Saved() {
  const { answer } = usePlan();
  const { entries, reached, since } = useOutbox();
  const { settled } = useProgress();
  return (
    <span
      className={`figures text-sm whitespace-nowrap ${reached ? "text-quiet" : "text-decision-text"}`}
      role="status"
      data-testid="saved"
      data-settled={settled}
    >
      {savedWords({ waiting: entries.filter((e) => !e.refused).length, reached, since, savedAt: answer.saved_at })}
    </span>
  );
}

/** What the top bar says of it. */
export function savedWords(so: { waiting: number; reached: boolean; since: number | null; savedAt: string }): string {
  const edits = `${so.waiting} edit${so.waiting === 1 ? "" : "s"} waiting`;
  if (!so.reached) {
    const at = so.since ? ` since ${clock(new Date(so.since).toISOString()).slice(0, 5)}` : "";
    return `not reached${at}${so.waiting ? `, ${edits}` : ""}`;
  }
  return so.waiting ? edits : `saved ${clock(so.savedAt)}`;
}

function DatumItem({ name, value }: { name: string; value: string }) {
  return (
    <span className="px-2 py-0.5">
      <span className="text-quiet">{name}</span> {value}
    </span>
  );
}
