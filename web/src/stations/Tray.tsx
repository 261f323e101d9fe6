import { Suspense, useEffect, useRef } from "react";
import { useWorkbench } from "../app/workbench";
import { STATIONS } from "./registry";

/** The open station's work, from its top. */
export function Tray() {
  const { station } = useWorkbench();
  const top = useRef<HTMLElement>(null);
  const { title, Tray: Body } = STATIONS[station];
  useEffect(() => {
    top.current?.scrollTo(0, 0);
  }, [station]);
  return (
    <section
      ref={top}
      aria-label={title}
      className="min-h-0 flex-1 overflow-auto px-3.5 py-2"
      data-testid={`tray-${station}`}
    >
      <Suspense fallback={<p className="text-quiet">Opening…</p>}>
        <Body />
      </Suspense>
    </section>
  );
}
