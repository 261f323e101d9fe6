import { call, type Edit, type Flight, type FlightFigures } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits } from "../../lib/edits";
import { Field, LengthField, Select, unitName } from "../../ui/fields";
import { ActionsHead, Remove } from "../../ui/Remove";
import { FollowFile } from "./FollowFile";

const PATTERNS: { id: NonNullable<Flight["pattern"]>; name: string }[] = [
  { id: "block", name: "parallel lines" },
  { id: "corridor", name: "corridor" },
  { id: "facade", name: "outside walls" },
  { id: "own", name: "flight lines of my own" },
];
type Place = [number, number];

/** What the lines follow: areas, a line with a width, walls with a stand-off, or flight lines that are kept as they were drawn. */
export function PatternFields({ flight, flown }: { flight: Flight; flown: FlightFigures | undefined }) {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const set = (change: Partial<Flight>) => void edit(fieldEdits(plan, `flights/${flight.id}`, change));
  const laid = flight.pattern ?? "block";
  const change = (pattern: NonNullable<Flight["pattern"]>) => {
    // flight lines of one's own begin as those that lie there
    const strips = (flown?.strips ?? []).map(({ start, end }) => ({ start, end, height: null }));
    const own = pattern === "own" && !flight.own_strips?.length ? { own_strips: strips } : {};
    set({ pattern, ...own } as Partial<Flight>);
  };
  const wide = laid === "corridor" ? "width" : "stand_off";
  return (
    <>
      <Field label="Pattern">{(id) => <Select id={id} value={laid} options={PATTERNS} onChange={change} />}</Field>
      {laid === "block" && <Areas flight={flight} />}
      {(laid === "corridor" || laid === "facade") && (
        <>
          <Follows flight={flight} />
          <Field label={`${laid === "corridor" ? "Width" : "Stand-off"}, ${unitName(unit)}`}>
            {(id) => (
              <LengthField
                id={id}
                value={flight[wide] ?? null}
                unit={unit}
                decimals={1}
                width="w-16"
                onCommit={(value) => value !== null && set({ [wide]: value })}
              />
            )}
          </Field>
        </>
      )}
      {laid === "own" ? <OwnStrips flight={flight} /> : <FollowFile flight={flight} />}
    </>
  );
}

function Areas({ flight }: { flight: Flight }) {
  const { plan, edit } = usePlan();
  const set = (change: Partial<Flight>) => void edit(fieldEdits(plan, `flights/${flight.id}`, change));
  const too = flight.areas_too ?? [];
  const others = flight.area ? plan.site.areas.filter((a) => a.id !== flight.area) : [];
  return (
    <>
      <Field label="Area">
        {(id) => (
          <Select
            id={id}
            value={flight.area ?? ""}
            options={[{ id: "", name: "the whole site" }, ...plan.site.areas]}
            onChange={(area) => set({ area: area || null, areas_too: too.filter((a) => area && a !== area) })}
          />
        )}
      </Field>
      {others.map((area) => (
        <label key={area.id} className="flex items-center gap-1 self-end pb-1">
          <input
            type="checkbox"
            checked={too.includes(area.id)}
            onChange={(event) =>
              set({ areas_too: event.target.checked ? [...too, area.id] : too.filter((a) => a !== area.id) })
            }
          />{" "}
          and {area.name}
        </label>
      ))}
    </>
  );
}

/** Lines and outlines of the site that a flight can follow; what is taken is the flight's own from then on. */
function Follows({ flight }: { flight: Flight }) {
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
  const has = (flight.line?.length ?? 0) > 1;
  const own = lines.find((l) => JSON.stringify(l.line) === JSON.stringify(flight.line));
  const none = { id: "", name: has ? "a line of its own" : lines.length ? "choose" : "draw a line under Site first" };
  return (
    <Field label={flight.pattern === "corridor" ? "Along" : "Walls"}>
      {(id) => (
        <Select
          id={id}
          value={own?.id ?? ""}
          options={own ? lines : [none, ...lines]}
          onChange={(chosen) => {
            const line = lines.find((l) => l.id === chosen)?.line;
            if (line) void edit(fieldEdits(plan, `flights/${flight.id}`, { line }));
          }}
        />
      )}
    </Field>
  );
}

/** The flight lines as they are kept: ends and height typed, taken away, put in after another. */
function OwnStrips({ flight }: { flight: Flight }) {
  const { jobId, plan, edit } = usePlan();
  const { unit } = plan.brief;
  const strips = flight.own_strips ?? [];
  const keep = (own_strips: typeof strips) => void edit(fieldEdits(plan, `flights/${flight.id}`, { own_strips }));
  const put = (k: number, change: Partial<(typeof strips)[number]>) =>
    keep(strips.map((strip, j) => (j === k ? { ...strip, ...change } : strip)));
  const beside = async () => edit(await call<Edit[]>("GET", `/jobs/${jobId}/flight/strip?flight=${flight.id}`));
  return (
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
          {strips.map((strip, k) => (
            <tr key={k}>
              <td className="num figures">{k + 1}</td>
              {(["start", "end"] as const).flatMap((end) =>
                [0, 1].map((axis) => (
                  <td key={end + axis} className="num">
                    <LengthField
                      label={`${axis ? "N" : "E"} of the ${end} of flight line ${k + 1}`}
                      value={strip[end][axis]!}
                      unit={unit}
                      decimals={1}
                      width="w-28"
                      onCommit={(value) => {
                        if (value === null) return;
                        const place = [...strip[end]] as Place;
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
                  value={strip.height ?? flight.height}
                  unit={unit}
                  decimals={1}
                  width="w-16"
                  optional
                  quiet={strip.height === null}
                  onCommit={(height) => put(k, { height })}
                />
              </td>
              <td>
                <Remove onClick={() => keep(strips.filter((_, j) => j !== k))}>remove flight line {k + 1}</Remove>
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
  );
}
