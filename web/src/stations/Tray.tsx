import { Suspense, useEffect, useRef } from "react";
import { usePlan } from "../app/plan";
import { useMay } from "../app/session";
import { useNavigation } from "../app/workbench/navigation";
import { Frozen } from "../ui/fields";
import { STATIONS } from "./registry";
import { useStacking } from "./stacking";

/** The open station's work, each of its views from its top. */
export function Tray() {
  const { station, view } = useNavigation();
  const { answer } = usePlan();
  const top = useRef<HTMLElement>(null);
  useStacking(top);
  const { title, Tray: Body } = STATIONS[station];
  const may = useMay("plan");
  useEffect(() => {
    top.current?.scrollTo(0, 0);
    // Opened by a key, the next Tab goes into it, not to the top of the page.
    if (document.activeElement === document.body) top.current?.focus({ preventScroll: true });
  }, [station, view]);
  return (
    <section
      ref={top}
      aria-label={title}
      tabIndex={-1}
      className="outline-none! min-h-0 flex-1 overflow-auto px-3.5 py-2"
      data-testid={`tray-${station}`}
    >
      {answer.frozen && (
        <p className="mb-1 border-l-4 border-settled bg-settled-wash px-2 py-1 font-medium">
          {answer.frozen}: signed, nothing here can be changed.
        </p>
      )}
      {!answer.frozen && !may && station !== "book" && (
        <p className="mb-1 border-l-4 border-hairline px-2 py-1 text-quiet">
          You read this job: your role changes no plan.
        </p>
      )}
      <Frozen.Provider value={!!answer.frozen || !may}>
        <Suspense fallback={<p className="text-quiet">Opening…</p>}>
          <Body />
        </Suspense>
      </Frozen.Provider>
    </section>
  );
}
