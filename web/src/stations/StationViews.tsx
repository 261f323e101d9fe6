import { useState } from "react";
import { usePlan } from "../app/plan";
import { useNavigation } from "../app/workbench/navigation";
import { unbroken } from "../lib/units";
import { Mark } from "../ui/Mark";
import { standing, type ViewEntry } from "./views";

/** A station's views in the order in which one works, each with its state; one sentence of what is settled and what comes next, which leads there; what is seldom wanted under *more*. */
export function StationViews({ views, chosen }: { views: readonly ViewEntry[]; chosen: string }) {
  const { openView } = useNavigation();
  const { plan, findings } = usePlan();
  const [unfolded, unfold] = useState(false);
  const told = views.map((view) => ({ view, is: standing(view, plan, findings ?? []) }));
  const shown = told.filter(({ view }) => !view.more || unfolded || view.id === chosen);
  return (
    <div className="mb-2">
      <div className="flex flex-wrap gap-2">
        <div className="contents" role="tablist" aria-label="Views">
          {shown.map(({ view, is }) => (
            <button
              key={view.id}
              role="tab"
              aria-selected={view.id === chosen}
              className="button inline-flex items-center gap-1.5"
              onClick={() => openView(view.id)}
            >
              {is && <Mark state={is.state} small />}
              {view.name}
            </button>
          ))}
        </div>
        {shown.length < told.length && (
          <button className="button text-quiet" aria-expanded={false} onClick={() => unfold(true)}>
            more…
          </button>
        )}
      </div>
      <WhatNext told={told} onGo={openView} />
    </div>
  );
}

type Standings = { view: ViewEntry; is: ReturnType<typeof standing> }[];

function WhatNext({ told, onGo }: { told: Standings; onGo: (view: string) => void }) {
  const withState = told.filter(({ view, is }) => is && (!view.more || is.state === "half"));
  if (!withState.length) return null;
  const settled = withState.filter(({ is }) => is!.state === "solid").map(({ view }) => view.name);
  const next = withState.find(({ is }) => is!.state === "half") ?? withState.find(({ is }) => is!.state === "hollow");
  const names = settled.length > 1 ? `${settled.slice(0, -1).join(", ")} and ${settled.at(-1)}` : settled[0];
  return (
    <p className="mt-1 text-sm" data-testid="what-next">
      {names && <span className="text-quiet">Settled: {names}. </span>}
      {next && (
        <>
          Next:{" "}
          <button className="cursor-pointer underline" onClick={() => onGo(next.view.id)}>
            {next.view.name}
          </button>
          . {unbroken(next.is!.next)}
        </>
      )}
    </p>
  );
}
