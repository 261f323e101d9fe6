import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { call, type Problem, type StakeOut } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useSession } from "../../app/session";
import { useSelection } from "../../app/workbench/selection";
import { degrees, length, UNITS } from "../../lib/units";
import { Select, TextField } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";

const SEPARATORS = [
  { id: "comma", name: "commas" },
  { id: "semicolon", name: "semicolons" },
  { id: "tab", name: "tabs" },
  { id: "space", name: "spaces" },
];
const DECIMALS = [
  { id: "point", name: "decimal point" },
  { id: "comma", name: "decimal comma" },
];
const METRIC = [250, 500, 1000, 2000, 5000, 10_000];
const FEET_AN_INCH = [20, 30, 40, 50, 60, 100, 200, 400, 600, 1000];

/** The usual scales of a sketch; in feet those of whole feet to the inch. */
function scalesFor(unit: string) {
  const own =
    unit === "m"
      ? METRIC.map((s) => ({ id: `${s}`, name: `1:${s.toLocaleString("en-GB")}` }))
      : FEET_AN_INCH.map((feet) => ({ id: `${12 * feet}`, name: `1″ = ${feet.toLocaleString("en-GB")}′` }));
  return [{ id: "0", name: "the scale that fits" }, ...own];
}

/** What goes out for rover and controller, and what goes out on paper. */
export function FilesView() {
  return (
    <div
      className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)] min-[900px]:grid-cols-[minmax(300px,1fr)_minmax(360px,1.4fr)] gap-x-8 overflow-auto"
      data-testid="files"
    >
      <div>
        <ForController />
        <Maps />
        <OnPaper />
      </div>
      <SettingOut />
    </div>
  );
}

function Link({ to, children }: { to: string; children: ReactNode }) {
  const { jobId } = usePlan();
  return (
    <a className="button text-sm" href={`/api/jobs/${jobId}/${to}`} download>
      {children}
    </a>
  );
}

/** The list, laid out as the controller wants it. */
function ForController() {
  const [columns, setColumns] = useState("P,N,E,Z,C");
  const [separator, setSeparator] = useState("comma");
  const [decimals, setDecimals] = useState("point");
  const [header, setHeader] = useState(true);
  const clash = separator === "comma" && decimals === "comma";
  const asked = new URLSearchParams({ columns, separator, decimals, header: `${header}` });
  return (
    <section aria-label="For the controller">
      <h3 className="font-bold">A list for the controller</h3>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <TextField label="Columns in their order" value={columns} width="w-24" onCommit={setColumns} />
        <Select label="Column separator" value={separator} options={SEPARATORS} onChange={setSeparator} />
        <Select label="Decimal separator" value={decimals} options={DECIMALS} onChange={setDecimals} />
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={header} onChange={(event) => setHeader(event.target.checked)} /> header
        </label>
        {clash ? (
          <span className="text-decision-text">A comma cannot part columns and decimals both.</span>
        ) : (
          <Link to={`export/points.csv?${asked}`}>points.csv</Link>
        )}
      </div>
      <p className="text-sm text-quiet">
        P point, N, E, Z in the job's grid, unit and heights, C code. Say on the controller which grid and which heights
        they are.
      </p>
    </section>
  );
}

function Maps() {
  const { written } = usePlan().catalogue.files;
  return (
    <section aria-label="For maps and drawings" className="mt-3">
      <h3 className="font-bold">For maps and drawings</h3>
      <div className="mt-1 flex flex-wrap gap-2">
        {written
          .filter(({ of }) => of !== "flight")
          .map(({ name, words, of }) => (
            <Link key={name} to={`export/${name}`}>
              {of === "site" ? `the site as ${words}` : words}
            </Link>
          ))}
      </div>
    </section>
  );
}

function OnPaper() {
  const { plan } = usePlan();
  const { selected } = useSelection();
  const papers = useSession().data?.papers ?? ["A4"];
  const [chosen, setPaper] = useState<string | null>(null);
  const paper = chosen ?? papers[0]!;
  const [scale, setScale] = useState("0");
  const point = plan.control.find((p) => `control/${p.id}` === selected);
  return (
    <section aria-label="On paper" className="mt-3">
      <h3 className="font-bold">On paper</h3>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <Select label="Paper" value={paper} options={papers.map((name) => ({ id: name, name }))} onChange={setPaper} />
        <Select label="Scale of the sketch" value={scale} options={scalesFor(plan.brief.unit)} onChange={setScale} />
        <Link to={`control/sketch.pdf?paper=${paper}&scale=${scale}`}>control sketch</Link>
        <Link to="control/targets.pdf">target sheets, {plan.control.length}</Link>
        {point && <Link to={`control/targets.pdf?point=${point.id}`}>sheet of {point.name}</Link>}
      </div>
    </section>
  );
}

/** Bearings and distances from a mark. */
function SettingOut() {
  const { jobId, plan, answer } = usePlan();
  const { selected, select } = useSelection();
  const { unit } = plan.brief;
  const [station, setStation] = useState(plan.marks[0]?.id ?? "");
  const [on, setOn] = useState("");
  const asked = new URLSearchParams({ station, on });
  const found = useQuery<StakeOut, Problem>({
    queryKey: ["stake-out", jobId, answer.revision, station, on],
    queryFn: () => call("GET", `/jobs/${jobId}/control/stake-out?${asked}`),
    enabled: !!station,
    staleTime: Infinity,
  });
  if (!plan.marks.length) return <p className="text-quiet">Setting out needs a mark to stand on (Base, set-ups).</p>;
  const marks = plan.marks.map((m) => ({ id: m.id, name: m.name }));
  const short = UNITS[unit]!.short;
  return (
    <section aria-label="Setting out">
      <h3 className="font-bold">Setting out by bearing and distance</h3>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <Select label="Stand on" value={station} options={marks} onChange={setStation} />
        <Select
          label="Oriented on"
          value={on}
          options={[{ id: "", name: "not oriented" }, ...marks.filter((m) => m.id !== station)]}
          onChange={setOn}
        />
        <Link to={`control/stake-out.pdf?${asked}`}>PDF</Link>
        <Link to={`control/stake-out.csv?${asked}`}>CSV</Link>
      </div>
      {found.error && <ProblemNote problem={found.error} onClose={() => void found.refetch()} />}
      {found.data && (
        <>
          <p className="mt-1 text-sm">{found.data.told}</p>
          <table className="table mt-1 text-sm">
            <thead>
              <tr>
                <th>point</th>
                <th className="num">grid bearing</th>
                {on && <th className="num">angle</th>}
                <th className="num">grid, {short}</th>
                <th className="num">ground, {short}</th>
                <th className="num">rise, {short}</th>
              </tr>
            </thead>
            <tbody>
              {found.data.rays.map((r) => (
                <tr
                  key={r.id}
                  className={selected === `control/${r.id}` ? "bg-decision-wash" : ""}
                  onClick={() => select(`control/${r.id}`)}
                >
                  <td>
                    <strong>{r.name}</strong>
                  </td>
                  <td className="num figures">{degrees(r.bearing)}</td>
                  {on && <td className="num figures">{degrees(r.angle)}</td>}
                  <td className="num figures">{length(r.grid_m, unit)}</td>
                  <td className="num figures">{length(r.ground_m, unit)}</td>
                  <td className="num figures">{r.rise === null ? "–" : length(r.rise, unit)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}
