import { call, type Edit, type Flight, type FlightFigures } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits } from "../../lib/edits";
import { Field, LengthField, NumberField, Select, TextField, unitName } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";
import { patternAs, type Pattern, type PatternOf } from "./parts";
import { usePart } from "./usePart";

const PATTERNS: { id: Pattern["kind"]; name: string }[] = [
  { id: "parallel", name: "parallel lines" },
  { id: "corridor", name: "corridor" },
  { id: "facade", name: "outside walls" },
  { id: "own", name: "flight lines of my own" },
];
const COURSES = [
  { id: "time", name: "shortest" },
  { id: "turns", name: "fewest lines" },
  { id: "wind", name: "across the wind" },
  { id: "", name: "as typed" },
];
type Place = [number, number];

interface PatternProps<P extends Pattern = Pattern> {
  flight: Flight;
  pattern: P;
  flown: FlightFigures | undefined;
}

/** What the lines follow, and how they are laid: over areas, along a line with a width, outside of walls, or as they were drawn. */
export function PatternFields({ flight, flown }: Omit<PatternProps, "pattern">) {
  const { plan, catalogue, edit } = usePlan();
  const { pattern } = flight;
  const change = (kind: Pattern["kind"]) => {
    const next = patternAs(pattern, kind, catalogue);
    // flight lines of one's own begin as those that lie there
    if (next.kind === "own")
      next.lines = (flown?.strips ?? []).map(({ start, end }) => ({ start, end, height_m: null }));
    void edit(fieldEdits(plan, `flights/${flight.id}`, { pattern: next }));
  };
  return (
    <>
      <Field label="Pattern">
        {(id) => <Select id={id} value={pattern.kind} options={PATTERNS} onChange={change} />}
      </Field>
      {pattern.kind === "parallel" && <ParallelFields flight={flight} pattern={pattern} flown={flown} />}
      {pattern.kind === "corridor" && <CorridorFields flight={flight} pattern={pattern} flown={flown} />}
      {pattern.kind === "facade" && <WallFields flight={flight} pattern={pattern} flown={flown} />}
      {pattern.kind === "own" && <OwnFields flight={flight} pattern={pattern} flown={flown} />}
    </>
  );
}

function ParallelFields({ flight, pattern, flown }: PatternProps<PatternOf<"parallel">>) {
  const { set, number, metres } = usePart(`flights/${flight.id}/pattern`, pattern);
  const images = flight.sensor.kind === "images";
  return (
    <>
      <Areas flight={flight} pattern={pattern} />
      {number("Side overlap, %", "side_overlap")}
      <Field label="Course, grid °">
        {(id) => (
          <span className="flex items-center gap-1">
            <NumberField
              id={id}
              value={pattern.course_deg ?? flown?.course ?? 0}
              decimals={0}
              width="w-16"
              onCommit={(course) => set({ course_deg: ((course % 360) + 360) % 360 })}
            />
            <Select
              label="Course by"
              value={pattern.course_deg === null ? pattern.course_by : ""}
              options={COURSES}
              onChange={(by) =>
                set(by ? { course_deg: null, course_by: by } : { course_deg: Math.round(flown?.course ?? 0) })
              }
            />
          </span>
        )}
      </Field>
      <Beyond flight={flight} pattern={pattern} />
      {number("Cross lines", "cross_lines")}
      {pattern.cross_lines > 0 && metres("at", "cross_height_m", 1, flown?.cross_height ?? null)}
      {images && number("Oblique lines", "oblique_lines")}
      {images && number("Oblique lines across", "oblique_across")}
      {images && pattern.oblique_lines + pattern.oblique_across > 0 && number("Forward tilt, °", "oblique_tilt_deg")}
    </>
  );
}

function CorridorFields({ flight, pattern }: PatternProps<PatternOf<"corridor">>) {
  const { number, metres } = usePart(`flights/${flight.id}/pattern`, pattern);
  return (
    <>
      <Follows flight={flight} label="Along" line={pattern.line} />
      {metres("Width", "width_m")}
      {number("Side overlap, %", "side_overlap")}
      <Beyond flight={flight} pattern={pattern} />
    </>
  );
}

function WallFields({ flight, pattern }: PatternProps<PatternOf<"facade">>) {
  const { number, metres } = usePart(`flights/${flight.id}/pattern`, pattern);
  return (
    <>
      <Follows flight={flight} label="Walls" line={pattern.line} />
      {metres("Stand-off", "stand_off_m")}
      {flight.sensor.kind === "images" && number("Extra images each end", "extra_exposures")}
    </>
  );
}

/** How far lines reach beyond what they cover, and why they do not where they do not. */
function Beyond({ flight, pattern }: { flight: Flight; pattern: PatternOf<"parallel"> | PatternOf<"corridor"> }) {
  const { set, number } = usePart(`flights/${flight.id}/pattern`, pattern);
  const images = flight.sensor.kind === "images";
  return (
    <>
      {number("Extra lines each side", "extra_lines")}
      {images && number("Extra images each end", "extra_exposures")}
      {images && pattern.extra_lines < 2 && (
        <Field label="Reason for fewer">
          {(id) => (
            <TextField
              id={id}
              value={pattern.extra_reason}
              width="w-44"
              onCommit={(extra_reason) => set({ extra_reason })}
            />
          )}
        </Field>
      )}
    </>
  );
}

function Areas({ flight, pattern }: { flight: Flight; pattern: PatternOf<"parallel"> | PatternOf<"own"> }) {
  const { plan } = usePlan();
  const { set } = usePart(`flights/${flight.id}/pattern`, pattern);
  const more = pattern.more_areas;
  const others = pattern.area ? plan.site.areas.filter((a) => a.id !== pattern.area) : [];
  return (
    <>
      <Field label="Area">
        {(id) => (
          <Select
            id={id}
            value={pattern.area ?? ""}
            options={[{ id: "", name: "the whole site" }, ...plan.site.areas]}
            onChange={(area) => set({ area: area || null, more_areas: more.filter((a) => area && a !== area) })}
          />
        )}
      </Field>
      {others.map((area) => (
        <label key={area.id} className="flex items-center gap-1 self-end pb-1">
          <input
            type="checkbox"
            checked={more.includes(area.id)}
            onChange={(event) =>
              set({ more_areas: event.target.checked ? [...more, area.id] : more.filter((a) => a !== area.id) })
            }
          />{" "}
          and {area.name}
        </label>
      ))}
    </>
  );
}

/** Lines and outlines of the site that a flight can follow; what is taken is the flight's own from then on. */
function Follows({ flight, label, line }: { flight: Flight; label: string; line: Place[] }) {
  const { plan, edit } = usePlan();
  const closed = (ring: Place[]): Place[] => [...ring, ring[0]!];
  const features = plan.site.features.filter((f) => f.vertices.length > 1);
  const lines = [
    ...features.map((f) => ({
      id: `feature ${f.id}`,
      name: f.name,
      line: f.shape === "area" ? closed(f.vertices as Place[]) : (f.vertices as Place[]),
    })),
    ...plan.site.areas.map((a) => ({ id: `area ${a.id}`, name: `round ${a.name}`, line: closed(a.ring as Place[]) })),
  ];
  const has = line.length > 1;
  const own = lines.find((l) => JSON.stringify(l.line) === JSON.stringify(line));
  const none = { id: "", name: has ? "a line of its own" : lines.length ? "choose" : "draw a line under Site first" };
  return (
    <Field label={label}>
      {(id) => (
        <Select
          id={id}
          value={own?.id ?? ""}
          options={own ? lines : [none, ...lines]}
          onChange={(chosen) => {
            const taken = lines.find((l) => l.id === chosen)?.line;
            if (taken) void edit(fieldEdits(plan, `flights/${flight.id}/pattern`, { line: taken }));
          }}
        />
      )}
    </Field>
  );
}

/** The flight lines as they are kept: ends and height typed, taken away, put in after another. */
function OwnFields({ flight, pattern }: PatternProps<PatternOf<"own">>) {
  const { jobId, plan, edit } = usePlan();
  const { unit } = plan.brief;
  const { lines } = pattern;
  const { set, number } = usePart(`flights/${flight.id}/pattern`, pattern);
  const put = (k: number, change: Partial<(typeof lines)[number]>) =>
    set({ lines: lines.map((line, j) => (j === k ? { ...line, ...change } : line)) });
  const beside = async () => edit(await call<Edit[]>("GET", `/jobs/${jobId}/flight/strip?flight=${flight.id}`));
  return (
    <>
      <Areas flight={flight} pattern={pattern} />
      {number("Side overlap, %", "side_overlap")}
      <div className="w-full">
        <table className="table text-sm">
          <thead>
            <tr>
              <th className="num">line</th>
              <th className="num">from E, {unitName(unit)}</th>
              <th className="num">N</th>
              <th className="num">to E</th>
              <th className="num">N</th>
              <th className="num">height above ground</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {lines.map((line, k) => (
              <tr key={k}>
                <td className="num figures">{k + 1}</td>
                {(["start", "end"] as const).flatMap((end) =>
                  [0, 1].map((axis) => (
                    <td key={end + axis} className="num">
                      <LengthField
                        label={`${axis ? "N" : "E"} of the ${end} of flight line ${k + 1}`}
                        value={line[end][axis]!}
                        unit={unit}
                        decimals={1}
                        width="w-28"
                        onCommit={(value) => {
                          if (value === null) return;
                          const place = [...line[end]] as Place;
                          place[axis] = value;
                          put(k, { [end]: place });
                        }}
                      />
                    </td>
                  )),
                )}
                <td className="num">
                  <LengthField
                    label={`Height of flight line ${k + 1}`}
                    value={line.height_m ?? flight.height_m}
                    unit={unit}
                    decimals={1}
                    width="w-16"
                    optional
                    quiet={line.height_m === null}
                    onCommit={(height_m) => put(k, { height_m })}
                  />
                </td>
                <td>
                  <Remove onClick={() => set({ lines: lines.filter((_, j) => j !== k) })}>
                    remove flight line {k + 1}
                  </Remove>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="my-1 flex items-center gap-3 text-sm text-quiet">
          <button className="button text-ink" onClick={() => void beside()}>
            another flight line
          </button>
          Ends are dragged on the sheet, too.
        </p>
      </div>
    </>
  );
}
