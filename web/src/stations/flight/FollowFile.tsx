import { useEffect, useState } from "react";
import type { FeaturesReading, Flight } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { added, fieldEdits, freeName } from "../../lib/edits";
import { Approximate } from "../../ui/Approximate";
import { FileInput } from "../../ui/FileInput";
import { Options } from "../../ui/Options";
import { ProblemNote } from "../../ui/ProblemNote";
import { useReading } from "../reading";
import { patternAs } from "./parts";

type Place = [number, number];

/** An area or a line out of a map file that a flight is then laid over, or along: drawn first, taken with a click. */
export function FollowFile({ flight }: { flight: Flight }) {
  const { reading, problem, read, choose, clear, forget } = useReading<FeaturesReading>("features");
  return (
    <div className="w-full text-sm">
      <label>
        or over an area, or along a line, of a map file{" "}
        <FileInput label="Area or line for the flight" reads="line" onFile={(file) => void read({ file })} />
      </label>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && <Shapes flight={flight} reading={reading} onChoose={(key) => void choose(key)} onDone={forget} />}
    </div>
  );
}

interface ShapesProps {
  flight: Flight;
  reading: FeaturesReading;
  onChoose: (key: string) => void;
  onDone: () => void;
}

function Shapes({ flight, reading, onChoose, onDone }: ShapesProps) {
  const { plan, catalogue, edit } = usePlan();
  const { setBrought } = useOverlay();
  const [accepted, setAccepted] = useState(false);
  const shapes = reading.features.filter((f) => f.vertices.length > 1);
  useEffect(() => {
    const lines = reading.features.filter((f) => f.vertices.length > 1);
    setBrought({ places: [], lines: lines.map((f) => ({ vertices: f.vertices, closed: f.shape === "area" })) });
    return () => setBrought(null);
  }, [reading, setBrought]);
  const ready = !reading.options.length && (accepted || !reading.approximate);
  async function take(shape: (typeof shapes)[number]) {
    const ring = shape.vertices as Place[];
    const path = `flights/${flight.id}`;
    const { kind } = flight.pattern;
    const along = kind === "corridor" || kind === "facade";
    const line: Place[] = shape.shape === "area" ? [...ring, ring[0]!] : ring;
    if (shape.shape !== "area" || along) {
      const pattern = { ...patternAs(flight.pattern, along ? kind : "corridor", catalogue), line };
      if (await edit(fieldEdits(plan, path, { pattern }))) onDone();
      return;
    }
    const area = { id: freeName("A", plan.site.areas), name: shape.name, ring };
    const pattern = { ...patternAs(flight.pattern, "parallel", catalogue), area: area.id };
    const edits = [added("site/areas", area), ...fieldEdits(plan, path, { pattern })];
    if (await edit(edits)) onDone();
  }
  return (
    <div className="mt-1 border border-decision bg-sheet p-2" role="status" data-testid="shapes-read">
      <p>{reading.how.join(" ")}</p>
      <Options options={reading.options} onChoose={onChoose} />
      {reading.approximate && (
        <Approximate words={reading.approximate} what="laying a flight" accepted={accepted} onAccept={setAccepted} />
      )}
      {!shapes.length && <p>There is no line and no area in it.</p>}
      <p className="flex flex-wrap gap-2">
        {ready &&
          shapes.slice(0, 20).map((shape) => (
            <button key={shape.id} className="button" onClick={() => void take(shape)}>
              {shape.shape === "area" ? "over" : "along"} {shape.name}
            </button>
          ))}
        <button className="button" onClick={onDone}>
          discard
        </button>
      </p>
    </div>
  );
}
