import {
  createColumnHelper,
  flexRender,
  getCoreRowModel,
  getSortedRowModel,
  useReactTable,
  type SortingState,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useNarrower } from "../../lib/narrow";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Catalogue, ControlPoint, Result } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useSelection } from "../../app/workbench/selection";
import { fieldEdits, removed, same } from "../../lib/edits";
import { fine, fineUnit } from "../../lib/units";
import { LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { scans } from "../flight/parts";
import {
  allFromSource,
  positionSourceId,
  positionSourceOf,
  positionSources,
  fromSourcesAsBefore,
  sourcesOfPoint,
} from "../positioning";

/** A control point with what is known of it. */
interface Row {
  point: ControlPoint;
  height: number | null;
  figures: Result["control"][number] | undefined;
}

const ROLES = [
  { id: "target", name: "control" },
  { id: "check", name: "check" },
];
/** Room for all digits: in metres a northing has one more than an easting, in feet both may have eight before the point. */
const WIDTHS = {
  m: { e: "w-[6.15rem]", n: "w-[6.75rem]", h: "w-[4.6rem]" },
  ft: { e: "w-[7.6rem]", n: "w-[7.6rem]", h: "w-[5rem]" },
};
const ROW_HEIGHT = { wide: 27, stacked: 62 };
/** In a place that is narrower, pixels, a row takes more than one line. */
const ROW_WIDTH = 765;
const column = createColumnHelper<Row>();

/** The usual way of observing that a point's occupations are, or their number. */
function methodOf(point: ControlPoint, methods: Catalogue["methods"]): string {
  const bare = (some: ControlPoint["occupations"]) => some.map((o) => [o.epochs, o.after_min]);
  return methods.find((m) => same(bare(m.occupations), bare(point.occupations)))?.id ?? "own";
}

/** Targets and checks: sorted, marked, edited in place; only the rows in sight are drawn. */
export function ControlTable() {
  const { plan, summary, result, edit } = usePlan();
  const { selected, select, marked, setMarked } = useSelection();
  const [sorting, setSorting] = useState<SortingState>([]);
  const columns = useColumns();
  const data = useMemo(() => {
    const figures = new Map(result?.control.map((c) => [c.id, c]));
    return plan.control.map((point, k): Row => ({
      point,
      height: summary?.control_h[k] ?? null,
      figures: figures.get(point.id),
    }));
  }, [plan.control, summary?.control_h, result?.control]);
  const table = useReactTable({
    data,
    columns,
    state: { sorting, rowSelection: marked },
    getRowId: (row) => row.point.id,
    onSortingChange: setSorting,
    onRowSelectionChange: setMarked,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  const { rows } = table.getRowModel();
  const holder = useRef<HTMLDivElement>(null);
  const stacked = useNarrower(holder, ROW_WIDTH);
  const window = useVirtualizer({
    count: rows.length,
    getScrollElement: () => holder.current,
    estimateSize: () => ROW_HEIGHT[stacked ? "stacked" : "wide"],
    overscan: 12,
  });
  const at = rows.findIndex((row) => `control/${row.original.point.id}` === selected);
  useEffect(() => {
    if (at >= 0) window.scrollToIndex(at, { align: "auto" });
  }, [at, window]);
  const shown = window.getVirtualItems();
  const above = shown[0]?.start ?? 0;
  const below = window.getTotalSize() - (shown.at(-1)?.end ?? 0);
  const chosen = plan.control.filter((p) => marked[p.id]);
  return (
    <>
      {chosen.length > 0 && (
        <Marked
          points={chosen}
          onAll={(change) => void edit(chosen.flatMap((p) => fieldEdits(plan, `control/${p.id}`, change(p))))}
          onRemove={() => {
            void edit(chosen.map((p) => removed(plan, `control/${p.id}`)));
            setMarked({});
          }}
          onUnmark={() => setMarked({})}
        />
      )}
      <div ref={holder} className="min-h-0 flex-1 overflow-auto">
        <table
          className={`table wide text-sm ${plan.brief.unit === "m" ? "" : "long"} ${stacked ? "stacked" : ""}`}
          data-testid="control-table"
          aria-rowcount={rows.length}
        >
          <thead>
            {table.getHeaderGroups().map((group) => (
              <tr key={group.id}>
                {group.headers.map((header) => {
                  const sorted = header.column.getIsSorted();
                  const words = flexRender(header.column.columnDef.header, header.getContext());
                  return (
                    <th
                      key={header.id}
                      className={`!top-0 ${header.column.columnDef.meta?.num ? "num" : ""}`}
                      title={header.column.columnDef.meta?.title}
                      aria-sort={sorted ? (sorted === "desc" ? "descending" : "ascending") : undefined}
                    >
                      {header.column.getCanSort() ? (
                        <button
                          className="cursor-pointer text-left leading-tight whitespace-pre"
                          onClick={header.column.getToggleSortingHandler()}
                        >
                          {words}
                          {sorted ? (sorted === "desc" ? " ↓" : " ↑") : ""}
                        </button>
                      ) : (
                        words
                      )}
                    </th>
                  );
                })}
              </tr>
            ))}
          </thead>
          <tbody>
            {above > 0 && (
              <tr aria-hidden>
                <td style={{ height: above, padding: 0 }} colSpan={columns.length} />
              </tr>
            )}
            {shown.map((item) => {
              const row = rows[item.index]!;
              const object = `control/${row.original.point.id}`;
              return (
                <tr
                  key={row.id}
                  ref={stacked ? window.measureElement : undefined}
                  data-index={item.index}
                  aria-rowindex={item.index + 1}
                  className={selected === object ? "bg-decision-wash" : ""}
                  onFocus={(event) => !ticks(event) && select(object)}
                  onClick={(event) => !ticks(event) && select(object)}
                  data-testid={`row-${row.original.point.name}`}
                >
                  {row.getVisibleCells().map((cell) => (
                    <td
                      key={cell.id}
                      className={cell.column.columnDef.meta?.num ? "num" : ""}
                      data-head={headed(cell.column.columnDef.header)}
                    >
                      {flexRender(cell.column.columnDef.cell, cell.getContext())}
                    </td>
                  ))}
                </tr>
              );
            })}
            {below > 0 && (
              <tr aria-hidden>
                <td style={{ height: below, padding: 0 }} colSpan={columns.length} />
              </tr>
            )}
          </tbody>
        </table>
      </div>
    </>
  );
}

/** Whether a box is ticked: that chooses no point, for what opens with a chosen one would move the box from under the pointer. */
function ticks(event: { target: EventTarget }): boolean {
  return event.target instanceof HTMLInputElement && event.target.type === "checkbox";
}

/** A column's head as words; a box that is ticked needs none. */
function headed(header: unknown): string {
  return typeof header === "string" ? header : "";
}

/** What is done to all marked points at once. */
function Marked(props: {
  points: ControlPoint[];
  onAll: (change: (point: ControlPoint) => Partial<ControlPoint>) => void;
  onRemove: () => void;
  onUnmark: () => void;
}) {
  const { plan, catalogue } = usePlan();
  return (
    <div className="mb-1 flex items-center gap-2 bg-settled-wash px-2 py-1 text-sm">
      <strong>{props.points.length} marked:</strong>
      <Select
        label="Observe all by"
        value=""
        options={[{ id: "", name: "observed by…" }, ...catalogue.methods]}
        onChange={(id) => {
          const occupations = catalogue.methods.find((m) => m.id === id)?.occupations;
          if (occupations) props.onAll((p) => ({ occupations: fromSourcesAsBefore(p, occupations) }));
        }}
      />
      <Select
        label="Hang all on"
        value="-"
        options={[{ id: "-", name: "positioned from…" }, ...positionSources(plan, "control")]}
        onChange={(hung) => hung !== "-" && props.onAll((p) => allFromSource(p, positionSourceOf(hung)))}
      />
      <button className="button" onClick={props.onRemove}>
        remove
      </button>
      <button className="button" onClick={props.onUnmark}>
        unmark
      </button>
    </div>
  );
}

function useColumns() {
  const { plan, catalogue, edit } = usePlan();
  const { unit } = plan.brief;
  const scanned = scans(plan);
  const latest = useRef(plan);
  latest.current = plan;
  const set = useCallback(
    (id: string, change: Partial<ControlPoint>) => void edit(fieldEdits(latest.current, `control/${id}`, change)),
    [edit],
  );
  const hangs = useMemo(
    () =>
      positionSources(
        { setups: plan.setups, correction_services: plan.correction_services, marks: plan.marks } as typeof plan,
        "control",
      ),
    [plan.setups, plan.correction_services, plan.marks],
  );
  return useMemo(() => {
    const u = unitName(unit);
    const length = (label: string, p: ControlPoint, key: "e" | "n") => (
      <LengthField
        label={`${label} of ${p.name}`}
        value={p[key]}
        unit={unit}
        width={WIDTHS[unit === "m" ? "m" : "ft"][key]}
        onCommit={(v) => v !== null && set(p.id, { [key]: v })}
      />
    );
    return [
      column.display({
        id: "marked",
        header: ({ table }) => (
          <input
            type="checkbox"
            aria-label="Mark all"
            checked={table.getIsAllRowsSelected()}
            onChange={table.getToggleAllRowsSelectedHandler()}
          />
        ),
        cell: ({ row }) => (
          <input
            type="checkbox"
            aria-label={`Mark ${row.original.point.name}`}
            checked={row.getIsSelected()}
            onChange={row.getToggleSelectedHandler()}
          />
        ),
      }),
      column.accessor((r) => r.point.name, {
        id: "name",
        header: "point",
        cell: ({ row: { original } }) => (
          <TextField
            label={`Name of ${original.point.name}`}
            value={original.point.name}
            onCommit={(name) => set(original.point.id, { name })}
            width="w-9.5"
          />
        ),
      }),
      column.accessor((r) => r.point.role, {
        id: "role",
        header: "role",
        cell: ({ row: { original } }) => (
          <Select
            label={`Role of ${original.point.name}`}
            value={original.point.role}
            options={ROLES}
            onChange={(role) => set(original.point.id, { role })}
          />
        ),
      }),
      column.accessor((r) => r.point.e, {
        id: "e",
        header: `E, ${u}`,
        meta: { num: true },
        cell: ({ row: { original } }) => length("E", original.point, "e"),
      }),
      column.accessor((r) => r.point.n, {
        id: "n",
        header: `N, ${u}`,
        meta: { num: true },
        cell: ({ row: { original } }) => length("N", original.point, "n"),
      }),
      column.display({
        id: "h",
        header: `H, ${u}`,
        meta: { num: true, title: "in italics: the terrain's height" },
        cell: ({ row: { original } }) => (
          <LengthField
            quiet={original.point.h === null}
            label={`H of ${original.point.name}`}
            value={original.point.h ?? original.height}
            unit={unit}
            decimals={3}
            width={WIDTHS[unit === "m" ? "m" : "ft"].h}
            optional
            onCommit={(h) => set(original.point.id, { h })}
          />
        ),
      }),
      column.accessor((r) => methodOf(r.point, catalogue.methods), {
        id: "method",
        header: "observed by",
        cell: ({ row: { original }, getValue }) => {
          const { point } = original;
          const own = getValue() === "own" ? [{ id: "own", name: `own ×${point.occupations.length}` }] : [];
          return (
            <Select
              label={`Method of ${point.name}`}
              value={getValue()}
              options={[...catalogue.methods.map((m) => ({ id: m.id, name: m.short })), ...own]}
              onChange={(id) => {
                const occupations = catalogue.methods.find((m) => m.id === id)?.occupations;
                if (occupations) set(point.id, { occupations: fromSourcesAsBefore(point, occupations) });
              }}
            />
          );
        },
      }),
      column.accessor((r) => sourcesOfPoint(r.point).map(positionSourceId).join(" "), {
        id: "hangs",
        header: "positioned\nfrom",
        cell: ({ row: { original }, getValue }) => {
          const { point } = original;
          const { id, name, positioned_from } = point;
          const several = sourcesOfPoint(point).length > 1 ? [{ id: getValue(), name: "mixed" }] : [];
          return (
            <>
              <Select
                label={`${name} positioned from`}
                value={getValue()}
                options={[...several, ...hangs.map(({ id, short }) => ({ id, name: short }))]}
                className="w-[5.3rem]"
                onChange={(hung) => set(id, allFromSource(point, positionSourceOf(hung, positioned_from)))}
              />
              {getValue().startsWith("session/") && positioned_from.on === "session" && (
                <NumberField
                  label={`Hours of ${name}`}
                  value={positioned_from.hours}
                  width="w-10"
                  onCommit={(hours) => set(id, { positioned_from: { ...positioned_from, hours } })}
                />
              )}
            </>
          );
        },
      }),
      column.display({
        id: "own",
        header: "σ H/V",
        meta: {
          num: true,
          title: `own sigma of the observation in ${fineUnit(unit)}, with the pointing at its centre: radial, and height`,
        },
        cell: ({ row: { original: r } }) =>
          r.figures ? `${fine(r.figures.own_h, unit)}/${fine(r.figures.own_v, unit)}` : "–",
      }),
      column.accessor((r) => r.figures?.map_v ?? 0, {
        id: "map",
        header: "map H/V",
        meta: { num: true, title: `predicted error of the map here in ${fineUnit(unit)}: radial, and height` },
        cell: ({ row: { original: r } }) =>
          r.figures ? `${fine(r.figures.map_h, unit)}/${fine(r.figures.map_v, unit)}` : "–",
      }),
      column.accessor((r) => r.figures?.images ?? 0, {
        id: "images",
        header: scanned ? "lines" : "images",
        meta: { num: true },
        cell: ({ row: { original: r } }) => (
          <span className={r.figures && r.figures.images < (scanned ? 1 : 5) ? "text-decision-text" : ""}>
            {r.figures?.images ?? "–"}
          </span>
        ),
      }),
      column.accessor((r) => r.point.width, {
        id: "width",
        header: `width, ${u}`,
        meta: { num: true },
        cell: ({ row: { original } }) => (
          <LengthField
            label={`Width of ${original.point.name}`}
            value={original.point.width}
            unit={unit}
            decimals={2}
            width="w-11"
            onCommit={(v) => v !== null && set(original.point.id, { width: v })}
          />
        ),
      }),
    ];
  }, [unit, catalogue.methods, hangs, set, scanned]);
}

declare module "@tanstack/react-table" {
  // eslint-disable-next-line @typescript-eslint/no-unused-vars -- the library's own parameters
  interface ColumnMeta<TData, TValue> {
    num?: boolean;
    title?: string;
  }
}
