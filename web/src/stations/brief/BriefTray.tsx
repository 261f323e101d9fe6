import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useId, useRef, useState, type KeyboardEvent } from "react";
import { call, type Brief, type CrsLine } from "../../api/client";
import { usePlan } from "../../app/plan";
import { STATION_OF } from "../reading";
import { useNavigation } from "../../app/workbench/navigation";
import { fine, fineUnit } from "../../lib/units";
import { Field, FineField, NumberField, Select, TextField } from "../../ui/fields";
import { fieldEdits } from "../../lib/edits";
import { Heading } from "../../ui/Heading";

const DELIVERABLES = [
  { id: "orthophoto", name: "orthophoto" },
  { id: "surface", name: "surface model" },
  { id: "volume", name: "volume" },
  { id: "drawing", name: "plan drawing" },
];

const CrsList = lazy(() => import("./CrsList").then((m) => ({ default: m.CrsList })));
const Where = lazy(() => import("./Where").then((m) => ({ default: m.Where })));
const AllowedVolumes = lazy(() => import("./AllowedVolumes").then((m) => ({ default: m.AllowedVolumes })));
const StatedSeparation = lazy(() => import("./StatedSeparation").then((m) => ({ default: m.StatedSeparation })));
const OwnGeoids = lazy(() => import("./OwnGeoids").then((m) => ({ default: m.OwnGeoids })));

export function BriefTray() {
  const { plan, catalogue, summary, edit } = usePlan();
  const { carried, open } = useNavigation();
  const [sought, setSought] = useState(false);
  const { brief } = plan;
  const asking = sought || !brief.crs;
  const set = (change: Partial<Brief>) => void edit(fieldEdits(plan, "brief", change));
  const unit = brief.unit;
  const small = fineUnit(unit);
  const asRmse = (limit: number | undefined) => `as RMSE: ${fine(limit, unit)} ${small}`;
  const fault = summary?.faults.datum ?? summary?.faults.fit;
  const standard = catalogue.standards.find((s) => s.id === brief.standard)!;
  return (
    <>
      <Heading title="Brief">
        <span className="text-quiet">what is promised, by which standard, in which coordinates</span>
      </Heading>
      {asking ? (
        <Suspense fallback={null}>
          <Where onDone={() => setSought(false)} />
        </Suspense>
      ) : (
        <p className="mb-2 flex items-baseline gap-3 text-sm">
          <button className="button" onClick={() => setSought(true)}>
            choose grid and heights by a place…
          </button>
          {carried && (
            <>
              The {carried.to === "boundary" ? "outline" : "file"} that you gave waits for the grid and heights.
              <button className="button" disabled={!plan.brief.crs} onClick={() => open(...STATION_OF[carried.to])}>
                to the {STATION_OF[carried.to][0]}
              </button>
            </>
          )}
        </p>
      )}
      <div className="grid grid-cols-[repeat(auto-fit,minmax(220px,1fr))] gap-x-6 gap-y-3">
        <div className="min-[600px]:col-span-2">
          <Field label="Title">
            {(id) => (
              <TextField id={id} value={brief.title ?? ""} onCommit={(title) => set({ title })} width="w-full" />
            )}
          </Field>
        </div>
        <Field label="Deliverable">
          {(id) => (
            <Select
              id={id}
              value={brief.deliverable}
              options={DELIVERABLES}
              onChange={(deliverable) => set({ deliverable })}
            />
          )}
        </Field>
        <Field
          label="Standard"
          hint={`${standard.edition === "none" ? standard.publisher : standard.edition}. Asks for at least ${standard.least_checks} checks.`}
        >
          {(id) => (
            <Select
              id={id}
              value={brief.standard}
              options={catalogue.standards}
              onChange={(s) => set({ standard: s })}
            />
          )}
        </Field>
        <Field label={`Tolerance H, ${small} (${standard.statistic_h})`} hint={`${asRmse(summary?.limits.h)}, radial`}>
          {(id) => (
            <FineField id={id} value={brief.tolerance_h} unit={unit} onCommit={(tolerance_h) => set({ tolerance_h })} />
          )}
        </Field>
        {brief.standard === "contour" ? (
          <Field label={`Contour interval, ${small}`} hint={asRmse(summary?.limits.v ?? undefined)}>
            {(id) => (
              <FineField
                id={id}
                value={brief.contour_interval}
                unit={unit}
                decimals={0}
                onCommit={(contour_interval) => set({ contour_interval })}
              />
            )}
          </Field>
        ) : (
          <Field
            label={
              brief.standard === "volume"
                ? `Mean height at 95 %, ${small}`
                : `Tolerance V, ${small} (${standard.statistic_v})`
            }
            hint={
              summary?.limits.v === null
                ? "no limit on single heights; draw areas in Site (A)"
                : asRmse(summary?.limits.v)
            }
          >
            {(id) => (
              <FineField
                id={id}
                value={brief.tolerance_v}
                unit={unit}
                onCommit={(tolerance_v) => set({ tolerance_v })}
              />
            )}
          </Field>
        )}
        {brief.standard === "volume" && (
          <Suspense fallback={null}>
            <AllowedVolumes />
          </Suspense>
        )}
        {brief.standard === "per_point" && (
          <Field label="Points inside the limit, %">
            {(id) => (
              <NumberField
                id={id}
                value={brief.point_share}
                decimals={0}
                width="w-20"
                onCommit={(point_share) => set({ point_share })}
              />
            )}
          </Field>
        )}
        <Field label="Unit shown">
          {(id) => <Select id={id} value={brief.unit} options={catalogue.units} onChange={(unit) => set({ unit })} />}
        </Field>
        <CrsChoice
          label="Horizontal grid"
          kind="projected"
          value={brief.crs ?? ""}
          name={summary?.datum?.grid}
          onChoose={({ code, unit: own }) =>
            set({ crs: code, ...(own && own !== unit && { unit: own as Brief["unit"] }) })
          }
        />
        <CrsChoice
          label="Height system"
          kind="vertical"
          value={brief.heights ?? ""}
          name={summary?.faults.datum ? undefined : summary?.datum?.heights}
          onChoose={({ code }) => set({ heights: code, geoid: null, separation: null })}
        />
        <Field label="Datum realisation" hint="as the marks' certificates name it">
          {(id) => (
            <TextField id={id} value={brief.realisation} onCommit={(realisation) => set({ realisation })} optional />
          )}
        </Field>
        <Field label="Coordinate epoch" hint="as the correction service or the mark's certificate states it">
          {(id) => <TextField id={id} value={brief.epoch} onCommit={(epoch) => set({ epoch })} optional />}
        </Field>
      </div>
      <Suspense fallback={null}>
        <StatedSeparation />
        <OwnGeoids />
      </Suspense>
      <p className="mt-3 max-w-3xl text-sm">
        <span className="text-quiet">What {standard.name} does not say:</span> {standard.silent}
      </p>
      {fault && brief.crs && (
        <p role="alert" className="mt-2 border-l-4 border-decision bg-decision-wash px-2 py-1">
          <strong>{fault.what}</strong> {fault.mend}
        </p>
      )}
    </>
  );
}

/** Search over PROJ's database by name, area or code: typed, chosen with arrows and Enter, left with Escape. */
function CrsChoice(props: {
  label: string;
  kind: string;
  value: string;
  name?: string;
  onChoose: (found: CrsLine) => void;
}) {
  const { jobId } = usePlan();
  const list = useId();
  const input = useRef<HTMLInputElement>(null);
  const [text, setText] = useState("");
  const [marked, setMarked] = useState(0);
  const { data, isPlaceholderData, refetch } = useQuery({
    queryKey: ["crs", props.kind, jobId, text],
    queryFn: () => call<CrsLine[]>("GET", `/crs?kind=${props.kind}&job=${jobId}&q=${encodeURIComponent(text)}`),
    enabled: text.trim().length > 1,
    placeholderData: (previous) => previous,
  });
  const found = data ?? [];
  const shown = text.trim().length > 1 && !!data;
  const at = Math.min(marked, Math.max(0, found.length - 1));
  const own = props.value.startsWith("geoid:") ? "a geoid of your own" : props.value;
  const hint = props.value ? `${props.name ?? ""} (${own})` : "not chosen yet";
  const type = (words: string) => {
    setText(words);
    setMarked(0);
  };
  const take = (one: CrsLine | undefined) => {
    if (!one) return;
    props.onChoose(one);
    type("");
  };
  /** Before the answer to what was typed has come, Enter counts for that answer. */
  const enter = () =>
    isPlaceholderData || !data ? void refetch().then((answer) => take(answer.data?.[0])) : take(found[at]);
  const onKeyDown = (event: KeyboardEvent) => {
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (move && shown) setMarked((at + move + found.length) % Math.max(1, found.length));
    else if (event.key === "Enter" && text.trim().length > 1) enter();
    else if (event.key === "Escape" && text) type("");
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <Field label={props.label} hint={hint}>
      {(id) => (
        <>
          <input
            ref={input}
            id={id}
            role="combobox"
            aria-expanded={shown}
            aria-controls={list}
            aria-autocomplete="list"
            aria-activedescendant={shown && found.length ? `${list}-${at}` : undefined}
            className="input w-full"
            placeholder={
              props.kind === "vertical" ? "search: EGM96, ellipsoidal, 5773" : "search: UTM 28N, area, EPSG code"
            }
            value={text}
            onChange={(event) => type(event.target.value)}
            onKeyDown={onKeyDown}
          />
          {shown && (
            <Suspense fallback={null}>
              <CrsList
                id={list}
                label={props.label}
                anchor={input}
                found={found}
                at={at}
                busy={isPlaceholderData}
                nothing={/^(epsg:)?\s*\d+$/i.test(text.trim()) ? "There is no such code." : "Nothing of that name."}
                onTake={take}
                onLeave={() => type("")}
              />
            </Suspense>
          )}
        </>
      )}
    </Field>
  );
}
