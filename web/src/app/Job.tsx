import { lazy, Suspense, useCallback, useEffect, useState } from "react";
import { Link } from "react-router";
import type { Session } from "../api/client";
import { Sheet } from "../sheet/Sheet";
import { fetchTrays } from "../stations/registry";
import { Tray } from "../stations/Tray";
import { ProblemNote } from "../ui/ProblemNote";
import { short } from "../lib/differences";
import { useNarrow } from "../lib/narrow";
import { Line } from "./Line";
import { useOutbox, usePlan, useProgress } from "./plan";
import { Ribbon } from "./Ribbon";
import { useShortcuts } from "./shortcuts";
import { Staff } from "./Staff";
import { ThemeChoice, TopBar } from "./TopBar";
import { repinned, useWorkbench, type Station } from "./workbench";

const ConflictDialog = lazy(() => import("./Dialogs").then((m) => ({ default: m.ConflictDialog })));
const StuckDialog = lazy(() => import("./Dialogs").then((m) => ({ default: m.StuckDialog })));
const ExpiredDialog = lazy(() => import("./Dialogs").then((m) => ({ default: m.ExpiredDialog })));
const ShortcutSheet = lazy(() => import("./ShortcutSheet").then((m) => ({ default: m.ShortcutSheet })));

/** The stations that are worked at outside. */
const IN_THE_FIELD: Station[] = ["book", "day", "close"];

/** How the tray stands: as high as it was set, raised over the sheet, of which a strip stays, or folded away. */
export type Posture = "set" | "raised" | "folded";

const ROWS: Record<Posture, (tray: number) => string> = {
  set: (tray) => `minmax(120px,1fr) 5px ${tray}px`,
  raised: () => "120px 5px minmax(0,1fr)",
  folded: () => "minmax(120px,1fr) 5px 0px",
};

/** The sheet: one window, five fixed parts. */
export default function Job({ session }: { session: Session }) {
  const [help, setHelp] = useState(false);
  const [tray, setTray] = useState(() => Number(localStorage.getItem("kardo-tray")) || 330);
  const [posture, setPosture] = useState<Posture>("set");
  const { fault, dismiss } = usePlan();
  const stand = useCallback((wanted: Posture) => setPosture((now) => (now === wanted ? "set" : wanted)), []);
  useShortcuts(setHelp, stand);
  useEffect(() => void window.dispatchEvent(new Event("resize")), [posture]); // the drawing measures itself anew
  useEffect(() => {
    // once the job stands; not every browser tells when it is idle. Away: each is fetched when it is opened
    const later = setTimeout(() => void fetchTrays().catch(() => undefined), 1000);
    return () => clearTimeout(later);
  }, []);
  const { station } = useWorkbench();
  if (useNarrow() && IN_THE_FIELD.includes(station)) return <InTheField />;
  return (
    <div className="grid h-dvh min-w-[60rem] grid-cols-[190px_minmax(0,1fr)_290px] grid-rows-[40px_minmax(0,1fr)_28px]">
      <div className="col-span-3">
        <TopBar session={session} />
      </div>
      <Line />
      <main
        className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)]"
        style={{ gridTemplateRows: ROWS[posture](tray) }}
      >
        <Sheet />
        <Divider height={tray} onChange={setTray} />
        <div className={posture === "folded" ? "hidden" : "flex min-h-0 flex-col bg-paper"}>
          {fault && <ProblemNote problem={fault} onClose={dismiss} />}
          <Refused />
          <Tray />
        </div>
      </main>
      <Staff />
      <div className="col-span-3">
        <Ribbon />
      </div>
      {help && (
        <Suspense fallback={null}>
          <ShortcutSheet open onClose={() => setHelp(false)} />
        </Suspense>
      )}
      <Pinning />
      <Troubles />
    </div>
  );
}

/** Sets the pin that was asked for once all that is shown belongs to the plan: a pin keeps figures with their plan. */
function Pinning() {
  const { plan, result } = usePlan();
  const { settled } = useProgress();
  const { pins, setPins, pinning, setPinning } = useWorkbench();
  useEffect(() => {
    if (!pinning || !settled) return;
    setPinning(false);
    setPins(repinned(pins, plan, result));
  }, [pinning, settled, setPinning, pins, setPins, plan, result]);
  return null;
}

/** One column for a phone or an upright tablet: the station's work, and the way to the other. */
function InTheField() {
  const { plan } = usePlan();
  const { station, open } = useWorkbench();
  const { entries } = useOutbox();
  return (
    <div className="touch flex h-dvh flex-col bg-paper">
      <header className="flex min-h-[44px] items-center gap-2 border-b border-ink px-2">
        <Link className="flex min-h-[44px] items-center font-bold text-decision-text" to="/">
          Kardo
        </Link>
        <h1 className="min-w-0 flex-1 truncate" title={plan.brief.title}>
          {plan.brief.title}
        </h1>
        {entries.length > 0 && <span className="figures text-sm">{entries.length} waiting</span>}
        {IN_THE_FIELD.map((s) => (
          <button key={s} className="button min-h-[44px] px-3" aria-pressed={s === station} onClick={() => open(s)}>
            {s}
          </button>
        ))}
        <ThemeChoice />
      </header>
      <main className="flex min-h-0 flex-1 flex-col">
        <Refused />
        <Tray />
      </main>
      <Troubles />
    </div>
  );
}

/** What has to be decided before work goes on; fetched when it comes to that. */
function Troubles() {
  const { entries, expired } = useOutbox();
  const { stuck } = usePlan();
  return (
    <Suspense fallback={null}>
      {entries.some((entry) => entry.conflicts) && <ConflictDialog />}
      {stuck && <StuckDialog />}
      {expired && <ExpiredDialog />}
    </Suspense>
  );
}

/** Steps that the server did not take: kept until they are tried again or let go. */
function Refused() {
  const { entries, retry, forget } = useOutbox();
  return entries
    .filter((entry) => entry.refused)
    .map((entry) => (
      <div
        key={entry.id}
        role="alert"
        className="flex items-start gap-2 border-l-4 border-decision bg-decision-wash px-2 py-1"
      >
        <p className="flex-1">
          <strong>Not taken: {entry.refused!.what}</strong> {entry.refused!.mend}{" "}
          <span className="figures text-sm">
            {entry.edits
              .slice(0, 3)
              .map((e) => `${e.path} ${short(e.after)}`)
              .join(" · ")}
          </span>
        </p>
        <button className="button text-sm" onClick={() => retry(entry)}>
          try again
        </button>
        <button className="button text-sm" onClick={() => forget(entry)}>
          let it go
        </button>
      </div>
    ));
}

/** Pulls the tray larger or smaller, by pointer or by arrow keys. */
function Divider({ height, onChange }: { height: number; onChange: (height: number) => void }) {
  const set = (next: number) => {
    const bounded = Math.max(90, Math.min(window.innerHeight - 240, next));
    localStorage.setItem("kardo-tray", String(bounded));
    onChange(bounded);
    window.dispatchEvent(new Event("resize"));
  };
  return (
    <div
      role="separator"
      aria-orientation="horizontal"
      aria-label="Height of the tray"
      aria-valuenow={height}
      tabIndex={0}
      className="cursor-row-resize border-t border-ink bg-paper hover:bg-settled"
      onPointerDown={(down) => {
        const target = down.currentTarget;
        target.setPointerCapture(down.pointerId);
        const move = (event: PointerEvent) => set(height + down.clientY - event.clientY);
        target.addEventListener("pointermove", move);
        target.addEventListener("pointerup", () => target.removeEventListener("pointermove", move), {
          once: true,
        });
      }}
      onKeyDown={(event) => {
        if (event.key === "ArrowUp" || event.key === "ArrowDown") {
          set(height + (event.key === "ArrowUp" ? 20 : -20));
          event.stopPropagation();
        }
      }}
    />
  );
}
