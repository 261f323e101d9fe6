import { lazy, Suspense, useCallback, useEffect, useState } from "react";
import { Link } from "react-router";
import type { Session } from "../api/client";
import { Sheet } from "../sheet/Sheet";
import { fetchTrays, STATIONS } from "../stations/registry";
import { Tray } from "../stations/Tray";
import { OnTheSheet, ProblemNote } from "../ui/ProblemNote";
import { short } from "../lib/differences";
import { useWidth } from "../lib/narrow";
import { Dropping } from "./Dropping";
import { Drawer } from "./Edge";
import { Line, Strip } from "./Line";
import { useOutbox, usePlan, useProgress } from "./plan";
import { Ribbon } from "./Ribbon";
import { useShortcuts } from "./shortcuts";
import { AccuracyGauges } from "./AccuracyGauges";
import { ThemeChoice, TopBar } from "./TopBar";
import { type Station, useNavigation } from "./workbench/navigation";
import { repinned, usePins } from "./workbench/pins";

const ConflictDialog = lazy(() => import("./Dialogs").then((m) => ({ default: m.ConflictDialog })));
const StuckDialog = lazy(() => import("./Dialogs").then((m) => ({ default: m.StuckDialog })));
const ExpiredDialog = lazy(() => import("./Dialogs").then((m) => ({ default: m.ExpiredDialog })));
const ShortcutSheet = lazy(() => import("./ShortcutSheet").then((m) => ({ default: m.ShortcutSheet })));

/** The stations that are worked at outside. */
const IN_THE_FIELD: Station[] = ["book", "day", "close"];

/** How the tray stands: as high as it was set, raised over the sheet, of which a strip stays, or folded away. */
export type Posture = "set" | "raised" | "folded";

const ROWS: Record<"wide" | "narrow", Record<Posture, (tray: number) => string>> = {
  wide: {
    set: (tray) => `minmax(120px,1fr) 5px minmax(90px,${tray}px)`,
    raised: () => "120px 5px minmax(0,1fr)",
    folded: () => "minmax(120px,1fr) 5px 0px",
  },
  narrow: {
    set: (tray) => `minmax(160px,1fr) 5px minmax(90px,${tray}px)`,
    raised: () => "0px 0px minmax(0,1fr)",
    folded: () => "minmax(160px,1fr) 5px 0px",
  },
};

/** How high the tray is while nobody has pulled it: upright, it has more than half. */
function trayHeight(width: "wide" | "narrow"): number {
  const usual = width === "wide" ? 330 : Math.round(0.55 * window.innerHeight);
  return Number(localStorage.getItem(`kardo-tray-${width}`)) || usual;
}

/** One column on a phone, else the sheet: one window, five parts. */
export default function Job({ session }: { session: Session }) {
  const width = useWidth();
  return width === "phone" ? <InTheField /> : <Workplace session={session} width={width} />;
}

/** The five parts: on a narrow screen the line is a strip along the top and the right column a drawer. */
function Workplace({ session, width }: { session: Session; width: "wide" | "narrow" }) {
  const [help, setHelp] = useState(false);
  const [trays, setTrays] = useState({ wide: trayHeight("wide"), narrow: trayHeight("narrow") });
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
  const { station } = useNavigation();
  const narrow = width === "narrow";
  const parts = narrow
    ? "grid-cols-[minmax(0,1fr)_58px] grid-rows-[auto_auto_minmax(0,1fr)_auto]"
    : "grid-cols-[190px_minmax(0,1fr)_290px] grid-rows-[40px_minmax(0,1fr)_28px]";
  return (
    <div className={`grid h-dvh ${parts} ${narrow && IN_THE_FIELD.includes(station) ? "touch" : ""}`}>
      <div className="col-span-full">
        <TopBar session={session} />
      </div>
      {narrow ? <Strip posture={posture} stand={stand} /> : <Line />}
      <main
        className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)]"
        style={{ gridTemplateRows: ROWS[width][posture](trays[width]) }}
      >
        <Sheet />
        <Divider
          height={trays[width]}
          onChange={(height) => {
            localStorage.setItem(`kardo-tray-${width}`, String(height));
            setTrays({ ...trays, [width]: height });
          }}
        />
        <div className={posture === "folded" ? "hidden" : "flex min-h-0 flex-col bg-paper"}>
          {fault && <ProblemNote problem={fault} onClose={dismiss} />}
          <Refused />
          <Tray />
        </div>
      </main>
      {narrow ? <Drawer /> : <AccuracyGauges />}
      <div className="col-span-full">
        <Ribbon />
      </div>
      {help && (
        <Suspense fallback={null}>
          <ShortcutSheet open onClose={() => setHelp(false)} />
        </Suspense>
      )}
      <Pinning />
      <Dropping />
      <Troubles />
    </div>
  );
}

/** Sets the pin that was asked for once all that is shown belongs to the plan: a pin keeps figures with their plan. */
function Pinning() {
  const { plan, result } = usePlan();
  const { settled } = useProgress();
  const { pins, setPins, pinning, setPinning } = usePins();
  useEffect(() => {
    if (!pinning || !settled) return;
    setPinning(false);
    setPins(repinned(pins, plan, result));
  }, [pinning, settled, setPinning, pins, setPins, plan, result]);
  return null;
}

/** One column for a phone: the station's work, and the way to the other. */
function InTheField() {
  const { plan } = usePlan();
  const { station, open } = useNavigation();
  const { entries } = useOutbox();
  return (
    <div className="touch flex h-dvh flex-col bg-paper">
      <header className="flex min-h-[44px] items-center gap-2 px-2">
        <Link className="flex min-h-[44px] items-center font-bold text-decision-text" to="/">
          Kardo
        </Link>
        <h1 className="min-w-0 flex-1 truncate" title={plan.brief.title}>
          {plan.brief.title}
        </h1>
        {entries.length > 0 && <span className="figures text-sm">{entries.length} waiting</span>}
        <ThemeChoice />
      </header>
      <nav className="grid grid-cols-3 gap-1 border-b border-ink px-2 pb-1" aria-label="Stations">
        {IN_THE_FIELD.map((s) => (
          <button
            key={s}
            className="button min-h-[44px] justify-center"
            aria-pressed={s === station}
            onClick={() => open(s)}
          >
            {s}
          </button>
        ))}
      </nav>
      <main className="flex min-h-0 flex-1 flex-col">
        <Refused />
        {IN_THE_FIELD.includes(station) ? (
          <Tray />
        ) : (
          <p className="p-3">
            {STATIONS[station].title} needs a wider screen, of 600 px at least. Here are Book, Day and Close.
          </p>
        )}
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
          <OnTheSheet drawn={entry.refused!.drawn} />
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
