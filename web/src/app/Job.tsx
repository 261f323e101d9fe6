import { useState } from "react";
import type { Session } from "../api/client";
import { Sheet } from "../sheet/Sheet";
import { Tray } from "../stations/Tray";
import { ProblemNote } from "../ui/ProblemNote";
import { ConflictDialog, ShortcutSheet } from "./Dialogs";
import { Line } from "./Line";
import { usePlan } from "./plan";
import { Ribbon } from "./Ribbon";
import { useShortcuts } from "./shortcuts";
import { Staff } from "./Staff";
import { TopBar } from "./TopBar";

/** The sheet: one window, five fixed parts. */
export default function Job({ session }: { session: Session }) {
  const [help, setHelp] = useState(false);
  const [tray, setTray] = useState(() => Number(localStorage.getItem("kardo-tray")) || 330);
  const { fault, dismiss } = usePlan();
  useShortcuts(setHelp);
  return (
    <div className="grid h-dvh grid-cols-[190px_minmax(0,1fr)_290px] grid-rows-[40px_minmax(0,1fr)_28px]">
      <div className="col-span-3">
        <TopBar session={session} />
      </div>
      <Line />
      <main
        className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)]"
        style={{ gridTemplateRows: `minmax(120px,1fr) 5px ${tray}px` }}
      >
        <Sheet />
        <Divider height={tray} onChange={setTray} />
        <div className="flex min-h-0 flex-col bg-paper">
          {fault && <ProblemNote problem={fault} onClose={dismiss} />}
          <Tray />
        </div>
      </main>
      <Staff />
      <div className="col-span-3">
        <Ribbon />
      </div>
      <ShortcutSheet open={help} onClose={() => setHelp(false)} />
      <ConflictDialog />
    </div>
  );
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
