import { useQuery } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";
import { call, type BoundaryReading, type Edit, type CrsLine, type Sent, type TerrainReading } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { useOverlay } from "../../app/workbench/overlay";
import { useSelection } from "../../app/workbench/selection";
import { area, fine, fineUnit, length, ofHeap, surface, surfaceUnit, volume, volumeUnit } from "../../lib/units";
import { Approximate } from "../../ui/Approximate";
import { Field, LengthField, Select, TextField, unitName } from "../../ui/fields";
import { newArea } from "../../sheet/placing";
import { Options } from "../../ui/Options";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { fieldEdits, removed } from "../../lib/edits";
import { Heading } from "../../ui/Heading";
import { StationViews } from "../StationViews";
import { ActionsHead, Remove } from "../../ui/Remove";
import { useCarried, useReading } from "../reading";
import { AirspaceView } from "./AirspaceView";
import { BackdropView } from "./BackdropView";
import { FeaturesView } from "./FeaturesView";
import { patternAs } from "../flight/parts";
import { SITE_VIEWS, type SiteView } from "./views";

export function SiteTray() {
  const { plan, summary } = usePlan();
  const { view } = useNavigation();
  const Shown = VIEWS[view in VIEWS ? (view as SiteView) : "ground"];
  return (
    <>
      <Heading title="Site">
        <span className="text-quiet">
          {summary?.area
            ? `${area(summary.area, plan.brief.unit)} · ${plan.site.boundary.length} corners · drag a corner on the sheet, drag a side for a new one, Alt+click removes`
            : "boundary and terrain"}
        </span>
      </Heading>
      {!plan.brief.crs && (
        <p className="mb-2">Choose the grid in the Brief first: without it coordinates mean nothing.</p>
      )}
      <StationViews views={SITE_VIEWS} chosen={view || "ground"} />
      <Shown />
    </>
  );
}

function GroundView() {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] min-[900px]:grid-cols-[minmax(240px,1fr)_minmax(400px,1fr)] items-start gap-x-8">
      <div>
        <BoundaryImport />
        <TerrainImport />
        <Areas />
      </div>
      <Vertices />
    </div>
  );
}

const VIEWS: Record<SiteView, () => ReactNode> = {
  ground: GroundView,
  features: FeaturesView,
  backdrop: BackdropView,
  airspace: AirspaceView,
};

function BoundaryImport() {
  const { plan, catalogue, edit } = usePlan();
  const { preview, setPreview } = useOverlay();
  const [accepted, setAccepted] = useState(false);
  const [text, setText] = useState("");
  const { reading, problem, clear, ...of } = useReading<BoundaryReading>("boundary");

  useEffect(() => () => setPreview(null), [setPreview]);

  async function show(asked: Promise<BoundaryReading | null>) {
    setPreview(null);
    setAccepted(false);
    const found = await asked;
    if (found) setPreview(found.ring);
  }
  const read = (fields: Sent) => show(of.read(fields));
  useCarried("boundary", (fields) => void read(fields));

  function leave() {
    of.forget();
    setPreview(null);
  }

  async function take(edits: Edit[]) {
    if (!(await edit(edits))) return;
    leave();
    setText("");
  }

  const flight = plan.flights.find((f) => f.purpose === "map");
  const along =
    reading?.axis.length && flight
      ? { ...patternAs(flight.pattern, "corridor", catalogue), line: reading.axis, width_m: reading.width }
      : null;

  const ready = reading && !reading.options.length && (accepted || !reading.approximate);
  return (
    <section aria-label="Boundary">
      <h3 className="font-bold">Boundary</h3>
      <div className="mt-1 flex items-start gap-2">
        <textarea
          className="input figures h-16 flex-1 text-sm"
          aria-label="Corners"
          placeholder={"paste corners, one per line:\n46°17'52\"N 13°24'31\"W\nor 622240.0 5128340.0"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <div className="grid gap-1">
          <button className="button" disabled={!text.trim()} onClick={() => void read({ text })}>
            Read corners
          </button>
          <FileInput
            label="Boundary file"
            words="from a file…"
            reads="boundary"
            several
            onFile={(file, beside) => void read({ file, beside })}
          />
        </div>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && preview && (
        <div className="mt-1 border border-decision bg-sheet p-2" role="status">
          <p className="font-bold">This is how I read it; it is drawn on the sheet and not saved yet.</p>
          <ul className="list-inside list-disc text-sm">
            {reading.how.map((line) => (
              <li key={line}>{line}</li>
            ))}
            <li>{area(reading.area, plan.brief.unit)}</li>
          </ul>
          <Options options={reading.options} onChoose={(key) => void show(of.choose(key))} />
          <Approximate words={reading.approximate} what="this boundary" accepted={accepted} onAccept={setAccepted} />
          <div className="mt-1 flex gap-2">
            {along && (
              <button
                className="button"
                disabled={!ready}
                onClick={() =>
                  void take([
                    ...fieldEdits(plan, "site", { boundary: reading.ring }),
                    ...fieldEdits(plan, `flights/${flight!.id}`, { pattern: along }),
                  ])
                }
              >
                Use it, and fly along the line
              </button>
            )}
            <button
              className="button"
              disabled={!ready}
              onClick={() => void take(fieldEdits(plan, "site", { boundary: reading.ring }))}
            >
              Use this boundary
            </button>
            <button className="button" disabled={!ready} onClick={() => void take([newArea(plan, reading.ring)])}>
              Use it as an area for volumes
            </button>
            <button className="button" onClick={leave}>
              Discard
            </button>
          </div>
        </div>
      )}
    </section>
  );
}

const UNITS_OF_FILE = [
  { id: "", name: "unit as the file says" },
  { id: "m", name: "metres" },
  { id: "ft", name: "feet" },
  { id: "us-ft", name: "US survey feet" },
  { id: "ind-ft", name: "Indian feet" },
];
const APPROXIMATE = [
  { id: "", name: "approximate transformation: ask" },
  { id: "accept", name: "approximate transformation is good enough" },
];
const ZEROS = [
  { id: "", name: "zero heights: ask" },
  { id: "gaps", name: "0 is a gap" },
  { id: "heights", name: "0 is a height" },
];

/** Height systems of files before the job has a place. */
const ANYWHERE = [
  { code: "ellipsoidal", name: "ellipsoidal heights", missing: "" },
  { code: "EPSG:5773", name: "EGM96 height", missing: "" },
];

function TerrainImport() {
  const { jobId, plan, summary, edit } = usePlan();
  const [said, setSaid] = useState({ heights: "", unit: "", zeros: "", approximate: "" });
  const [file, setFile] = useState<File | null>(null);
  const { reading, problem, read, clear } = useReading<TerrainReading>("terrain");
  const [busy, setBusy] = useState(false);
  const terrain = plan.site.ground.terrain;
  const { data: ofPlace } = useQuery({
    queryKey: ["heights", jobId, plan.brief.crs, summary?.area],
    queryFn: () => call<CrsLine[]>("GET", `/jobs/${jobId}/heights`),
    enabled: !!summary?.area, // once the server knows the place
    staleTime: Infinity,
  });
  const others = (ofPlace ?? ANYWHERE).filter((one) => !one.missing && one.code !== plan.brief.heights);
  const systems = [{ id: "", name: "heights as the job's" }, ...others.map(({ code, name }) => ({ id: code, name }))];
  async function take(chosen: File, as: typeof said) {
    setFile(chosen);
    setBusy(true);
    const found = await read({ file: chosen, ...as });
    if (found && (await edit(fieldEdits(plan, "site/ground", { terrain: found.value })))) setFile(null);
    setBusy(false);
  }
  useCarried("terrain", ({ file: carried }) => void take(carried as File, said));
  /** What is said of a file that was refused is the answer to what it left open: it is read again. */
  function say(change: Partial<typeof said>) {
    const now = { ...said, ...change };
    setSaid(now);
    if (file && problem) void take(file, now);
  }
  return (
    <section aria-label="Terrain" className="mt-3">
      <h3 className="font-bold">Terrain</h3>
      <p className="text-sm text-quiet">
        {terrain
          ? `${terrain.source}: ${terrain.cols} × ${terrain.rows} heights every ${length(terrain.step, plan.brief.unit, 1)} ${unitName(plan.brief.unit)}`
          : "None yet. A GeoTIFF in any coordinate system is taken into the job's grid."}
      </p>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <Select
          label="Height system of the file"
          value={said.heights}
          options={systems}
          onChange={(heights) => say({ heights })}
        />
        <Select label="Unit of the file" value={said.unit} options={UNITS_OF_FILE} onChange={(unit) => say({ unit })} />
        <Select label="Heights of 0" value={said.zeros} options={ZEROS} onChange={(zeros) => say({ zeros })} />
        <Select
          label="Transformation"
          value={said.approximate}
          options={APPROXIMATE}
          onChange={(approximate) => say({ approximate })}
        />
        <FileInput
          label="Terrain file"
          words={busy ? "reading…" : "GeoTIFF…"}
          reads="terrain"
          disabled={busy}
          onFile={(file) => void take(file, said)}
        />
      </div>
      {reading?.how.map((line) => (
        <p key={line} className="text-sm">
          {line}
        </p>
      ))}
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {!terrain && <LevelGround />}
    </section>
  );
}

/** Instead of a terrain, until one is at hand. */
function LevelGround() {
  const { plan, edit } = usePlan();
  const { level } = plan.site.ground;
  const { unit } = plan.brief;
  const set = (change: { height?: number; relief?: number }) =>
    void edit(fieldEdits(plan, "site/ground", { level: { height: 0, relief: 0, ...level, ...change } }));
  return (
    <div className="mt-2 flex flex-wrap items-end gap-x-4 gap-y-1">
      <Field label={`Or level ground at, ${unitName(unit)}`}>
        {(id) => (
          <LengthField
            id={id}
            value={level?.height ?? null}
            unit={unit}
            decimals={1}
            width="w-24"
            optional
            onCommit={(height) =>
              height === null ? void edit(fieldEdits(plan, "site/ground", { level: null })) : set({ height })
            }
          />
        )}
      </Field>
      {level && (
        <Field label={`Relief about it, ${unitName(unit)}`}>
          {(id) => (
            <LengthField
              id={id}
              value={level.relief}
              unit={unit}
              decimals={1}
              width="w-20"
              onCommit={(relief) => relief !== null && set({ relief })}
            />
          )}
        </Field>
      )}
      <p className="basis-full text-sm text-quiet">
        {level
          ? `This plan stands on level ground, in the job's height system (${plan.brief.heights}). Clearance and overlap allow for half of the relief up and down.`
          : "In the job's height system; enough for a first prediction."}
      </p>
    </div>
  );
}

/** Parts of the site whose volume matters: heaps, pits, benches. */
function Areas() {
  const { plan, result, edit } = usePlan();
  const { setPlacing, setGoTo } = useSelection();
  const volumes = new Map(result?.volumes?.map((v) => [v.id, v]));
  return (
    <section aria-label="Areas" className="mt-3">
      <h3 className="flex items-baseline gap-3 font-bold">
        Areas for volumes
        <button className="button text-sm font-normal" onClick={() => setPlacing("area")}>
          draw on the sheet (A)
        </button>
      </h3>
      {!plan.site.areas.length && (
        <p className="text-sm text-quiet">
          None. Draw a heap or a pit, or paste its corners above, to see how well its volume will be known.
        </p>
      )}
      {plan.site.areas.length > 0 && (
        <p className="text-sm text-quiet">
          At 95 %: of the mean height, and of the volume; in per cent of what lies there by the terrain.
        </p>
      )}
      {plan.site.areas.length > 0 && (
        <table className="table">
          <thead>
            <tr>
              <th>area</th>
              <th className="num">{surfaceUnit(plan.brief.unit)}</th>
              <th className="num">height ±, {fineUnit(plan.brief.unit)}</th>
              <th className="num">volume ±, {volumeUnit(plan.brief.unit)}</th>
              <th className="num">%</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {plan.site.areas.map((a) => {
              const v = volumes.get(a.id);
              const [e, n] = a.ring[0]!;
              return (
                <tr key={a.id}>
                  <td>
                    <TextField
                      label={`Name of ${a.name}`}
                      width="w-28"
                      value={a.name}
                      onCommit={(name) => void edit(fieldEdits(plan, `site/areas/${a.id}`, { name }))}
                    />
                  </td>
                  <td className="num">{surface(v?.area, plan.brief.unit)}</td>
                  <td className="num">{fine(v?.sigma_95, plan.brief.unit)}</td>
                  <td className="num">{volume(v?.volume_95, plan.brief.unit)}</td>
                  <td className="num">{ofHeap(v?.percent_95)}</td>
                  <td className="whitespace-nowrap">
                    <button className="cursor-pointer underline" onClick={() => setGoTo({ e, n })}>
                      show
                    </button>{" "}
                    <Remove onClick={() => void edit([removed(plan, `site/areas/${a.id}`)])} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Vertices() {
  const { plan, edit } = usePlan();
  const ring = plan.site.boundary;
  const unit = plan.brief.unit;
  const save = (boundary: [number, number][]) => void edit(fieldEdits(plan, "site", { boundary }));
  if (!ring.length) return <p className="text-quiet">No corners yet.</p>;
  return (
    <table className="table text-sm">
      <thead>
        <tr>
          <th>corner</th>
          <th className="num">E, {unitName(unit)}</th>
          <th className="num">N, {unitName(unit)}</th>
          <ActionsHead />
        </tr>
      </thead>
      <tbody>
        {ring.map(([e, n], k) => {
          const at = (place: [number, number]) => save(ring.map((p, j) => (j === k ? place : p)));
          const next = ring[(k + 1) % ring.length]!;
          return (
            <tr key={k}>
              <td>{k + 1}</td>
              <td className="num">
                <LengthField
                  label={`E of corner ${k + 1}`}
                  value={e}
                  unit={unit}
                  width="w-[7.3rem]"
                  onCommit={(v) => at([v!, n])}
                />
              </td>
              <td className="num">
                <LengthField
                  label={`N of corner ${k + 1}`}
                  value={n}
                  unit={unit}
                  width="w-[7.3rem]"
                  onCommit={(v) => at([e, v!])}
                />
              </td>
              <td className="whitespace-nowrap">
                <button
                  className="cursor-pointer underline"
                  onClick={() =>
                    save([...ring.slice(0, k + 1), [(e + next[0]) / 2, (n + next[1]) / 2], ...ring.slice(k + 1)])
                  }
                >
                  add after
                </button>{" "}
                <button
                  className="cursor-pointer underline disabled:text-quiet disabled:no-underline"
                  disabled={ring.length < 4}
                  onClick={() => save(ring.filter((_, j) => j !== k))}
                >
                  remove
                </button>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
