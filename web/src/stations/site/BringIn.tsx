import { useEffect, useState } from "react";
import type { FeaturesReading, SiteFeature } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { added, freeName } from "../../lib/edits";
import { length } from "../../lib/units";
import { Approximate } from "../../ui/Approximate";
import { Select, unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { Options } from "../../ui/Options";
import { ProblemNote } from "../../ui/ProblemNote";
import { useCarried, useReading } from "../reading";
import { KINDS } from "./kinds";

const LEAVE = { id: "leave", name: "leave out" };
const UNITS_OF_FILE = [
  { id: "", name: "unit as the file says" },
  { id: "m", name: "metres" },
  { id: "ft", name: "feet" },
  { id: "us-ft", name: "US survey feet" },
  { id: "ind-ft", name: "Indian feet" },
];

/** Features from a map file, or found where a surface model rises over the terrain: drawn, with a guess of what each is, before any is taken. */
export function BringIn() {
  const { plan } = usePlan();
  const file = useReading<FeaturesReading>("features");
  const model = useReading<FeaturesReading>("risen");
  const [unit, setUnit] = useState("");
  useCarried("features", (fields) => void file.read(fields));
  const shown = file.reading ? file : model.reading ? model : null;
  const problem = file.problem ?? model.problem;
  return (
    <div className="mt-2">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-1 text-sm">
        <label>
          Import from a map file{" "}
          <FileInput
            label="File of features"
            reads="features"
            several
            onFile={(chosen, beside) => {
              model.forget();
              void file.read({ file: chosen, beside });
            }}
          />
        </label>
        {plan.site.ground.terrain && (
          <label>
            Find by a surface model (GeoTIFF){" "}
            <FileInput
              label="Surface model"
              reads="terrain"
              onFile={(chosen) => {
                file.forget();
                void model.read({ file: chosen, unit });
              }}
            />{" "}
            <Select label="Unit of the surface model" value={unit} options={UNITS_OF_FILE} onChange={setUnit} />
          </label>
        )}
      </div>
      {problem && (
        <ProblemNote
          problem={problem}
          onClose={() => {
            file.clear();
            model.clear();
          }}
        />
      )}
      {shown?.reading && (
        <Looked
          key={shown.reading.features.length + shown.reading.how.join()}
          reading={shown.reading}
          onChoose={(key) => void shown.choose(key)}
          onDone={shown.forget}
        />
      )}
    </div>
  );
}

interface LookedProps {
  reading: FeaturesReading;
  onChoose: (key: string) => void;
  onDone: () => void;
}

function Looked({ reading, onChoose, onDone }: LookedProps) {
  const { plan, edit } = usePlan();
  const { setBrought } = useOverlay();
  const [accepted, setAccepted] = useState(false);
  const groups = groupsOf(reading);
  const [kinds, setKinds] = useState<Record<string, string>>({});
  useEffect(() => {
    setBrought({
      places: reading.features.filter((f) => f.vertices.length === 1).map((f) => f.vertices[0]!),
      lines: reading.features
        .filter((f) => f.vertices.length > 1)
        .map((f) => ({ vertices: f.vertices, closed: f.shape === "area" })),
    });
    return () => setBrought(null);
  }, [reading, setBrought]);
  const kindOf = (group: Group) => kinds[group.key] ?? group.kind;
  const chosen = groups.flatMap((group) =>
    kindOf(group) === "leave" ? [] : group.features.map((f) => ({ ...f, kind: kindOf(group) as SiteFeature["kind"] })),
  );
  const ready = !reading.options.length && (accepted || !reading.approximate);
  async function take() {
    const rows = [...plan.site.features];
    const edits = chosen.map((f) => {
      const id = freeName("F", rows);
      rows.push({ ...f, id });
      return added("site/features", { ...f, id });
    });
    if (await edit(edits)) onDone();
  }
  return (
    <div className="mt-1 border border-decision bg-sheet p-2 text-sm" role="status" data-testid="features-read">
      <p className="font-bold">This is how I read it; it is drawn on the sheet and not saved yet.</p>
      <p>{reading.how.join(" ")}</p>
      <Options options={reading.options} onChoose={onChoose} />
      <Approximate words={reading.approximate} what="these" accepted={accepted} onAccept={setAccepted} />
      <table className="table">
        <thead>
          <tr>
            <th>in the file</th>
            <th className="num">how many</th>
            <th>tall, {unitName(plan.brief.unit)}</th>
            <th>taken as (a guess, by its words)</th>
          </tr>
        </thead>
        <tbody>
          {groups.map((group) => (
            <tr key={group.key}>
              <td>{group.words}</td>
              <td className="num">{group.features.length}</td>
              <td>{tall(group.features, plan.brief.unit)}</td>
              <td>
                <Select
                  label={`What ${group.words} is`}
                  value={kindOf(group)}
                  options={[LEAVE, ...KINDS]}
                  onChange={(kind) => setKinds({ ...kinds, [group.key]: kind })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <button className="button mt-1" disabled={!ready || !chosen.length} onClick={() => void take()}>
        Take {chosen.length}
      </button>{" "}
      <button className="button mt-1" onClick={onDone}>
        Leave them
      </button>
    </div>
  );
}

interface Group {
  key: string;
  words: string;
  kind: SiteFeature["kind"];
  features: SiteFeature[];
}

/** By layer, shape and what is guessed: what is alike is answered once. */
function groupsOf({ features, layers }: FeaturesReading): Group[] {
  const groups = new Map<string, Group>();
  features.forEach((f, k) => {
    const layer = layers[k] ?? "";
    const key = `${layer}|${f.shape}|${f.kind}`;
    const shape = { place: "places", line: "lines", area: "areas" }[f.shape ?? "place"];
    const held = groups.get(key);
    if (held) held.features.push(f);
    else
      groups.set(key, { key, words: `${layer || f.name}${layer ? "" : " …"}, ${shape}`, kind: f.kind, features: [f] });
  });
  return [...groups.values()];
}

function tall(features: SiteFeature[], unit: string): string {
  const heights = features.map((f) => f.height ?? 0).filter((h) => h > 0);
  if (!heights.length) return "–";
  const [low, high] = [Math.min(...heights), Math.max(...heights)];
  return low === high ? length(low, unit, 1) : `${length(low, unit, 1)} to ${length(high, unit, 1)}`;
}
