import { useEffect, useMemo, useState } from "react";
import type { ControlPoint, Edit, PointsReading } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { added, fieldEdits } from "../../lib/edits";
import { length } from "../../lib/units";
import { newPoint } from "../../sheet/placing";
import { Approximate } from "../../ui/Approximate";
import { Select, unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { Options } from "../../ui/Options";
import { ProblemNote } from "../../ui/ProblemNote";
import { useCarried, useReading } from "../reading";

type Role = ControlPoint["role"];
type Read = PointsReading["points"][number];
/** What is taken of points that are there already. */
type Same = "leave" | "move";

const ROLES = [
  { id: "target", name: "as control points" },
  { id: "check", name: "as check points" },
];
const SAMES = [
  { id: "leave", name: "leave the plan's as they are" },
  { id: "move", name: "move the plan's to these" },
];
const SHOWN = 8;
const MOST = 2000;

/** Points from a spreadsheet, a list or a file of a map: drawn and told before anything is taken. */
export function Import({ onDone }: { onDone: () => void }) {
  const { plan, catalogue, edit } = usePlan();
  const { setBrought } = useOverlay();
  const [text, setText] = useState("");
  const [role, setRole] = useState<Role>("target");
  const [same, setSame] = useState<Same>("leave");
  const [far, setFar] = useState(false);
  const [accepted, setAccepted] = useState(false);
  const { reading, problem, read, choose, clear } = useReading<PointsReading>("points");
  const { unit } = plan.brief;
  useCarried("points", (fields) => void read(fields));

  useEffect(() => () => setBrought(null), [setBrought]);
  useEffect(() => {
    setBrought(reading ? { places: reading.points.map((p) => [p.e, p.n]), lines: [] } : null);
    setAccepted(false);
  }, [reading, setBrought]);

  const points = useMemo(() => reading?.points ?? [], [reading]);
  const count = useMemo(() => told(points), [points]);
  const fresh = useMemo(() => points.filter((p) => !p.same && p.twice === null && (far || p.about)), [points, far]);
  const room = MOST - plan.control.length;

  async function take() {
    const edits = [...addedOf(fresh), ...(same === "move" ? movedOf(points) : [])];
    if (edits.length && (await edit(edits))) onDone();
  }

  function addedOf(some: Read[]): Edit[] {
    const taken = new Set(plan.control.map((p) => p.id));
    return some.map((p, k) => {
      const wanted = (p.name || `${role === "target" ? "G" : "K"}${k + 1}`)
        .replace(/[^A-Za-z0-9_-]/g, "-")
        .slice(0, 36);
      let id = wanted;
      for (let n = 2; taken.has(id); n += 1) id = `${wanted}-${n}`;
      taken.add(id);
      const own: Role = /chk|check/i.test(p.code) ? "check" : role;
      const point: ControlPoint = {
        ...newPoint(catalogue.new_point, plan, own, id, p.e, p.n),
        name: p.name.slice(0, 60) || id,
        h: p.h,
      };
      return added("control", point);
    });
  }

  function movedOf(some: Read[]): Edit[] {
    return some
      .filter((p) => p.same)
      .flatMap((p) => fieldEdits(plan, `control/${p.same}`, { e: p.e, n: p.n, ...(p.h === null ? {} : { h: p.h }) }));
  }

  const ready = reading && !reading.options.length && (accepted || !reading.approximate);
  const taking = fresh.length + (same === "move" ? count.same : 0);
  return (
    <div className="mb-2 border border-ink bg-sheet p-2" data-testid="import">
      <div className="flex gap-2">
        <textarea
          className="input figures h-20 flex-1 text-sm"
          aria-label="Points"
          placeholder={"name, E, N, H or any other order with a header row; degrees are read too"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <div className="grid content-start gap-1">
          <Select label="Role of the points" value={role} options={ROLES} onChange={(id) => setRole(id)} />
          <button className="button" disabled={!text.trim()} onClick={() => void read({ text })}>
            Read points
          </button>
          <label className="text-sm">
            or a file{" "}
            <FileInput
              label="File of points"
              reads="points"
              several
              onFile={(file, beside) => void read({ file, beside })}
            />
          </label>
        </div>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && (
        <div className="mt-1" role="status">
          <p className="text-sm">
            <strong>{points.length.toLocaleString("en-GB")} points</strong>, drawn on the sheet and not saved yet.{" "}
            {reading.how.join(" ")}
          </p>
          <p className="figures text-sm text-quiet">
            {points
              .slice(0, SHOWN)
              .map(
                (p) => `${p.name || "–"} ${[p.e, p.n, p.h].map((v) => (v === null ? "" : length(v, unit))).join(" ")}`,
              )
              .join(" · ")}
            {points.length > SHOWN ? " …" : ""}
          </p>
          <Options options={reading.options} onChoose={(key) => void choose(key)} />
          <Approximate words={reading.approximate} what="these points" accepted={accepted} onAccept={setAccepted} />
          <ul className="mt-1 list-inside list-disc text-sm">
            {count.same > 0 && (
              <li>
                {count.same} stand where the plan has a point already:{" "}
                <Select
                  label="Points that are there already"
                  value={same}
                  options={SAMES}
                  onChange={(id) => setSame(id)}
                />
              </li>
            )}
            {count.twice > 0 && <li>{count.twice} stand where one before them in the list does; they are left out.</li>}
            {count.named > 0 && (
              <li className="text-decision-text">
                {count.named} bear the name of a point of the plan that lies elsewhere; they come as further points.
              </li>
            )}
            {count.far > 0 && (
              <li>
                <label>
                  {count.far} lie more than {length(1000, unit, 0)} {unitName(unit)} from the site.{" "}
                  <input type="checkbox" checked={far} onChange={(event) => setFar(event.target.checked)} /> take them
                  too
                </label>
              </li>
            )}
            {fresh.length > room && (
              <li className="text-decision-text">
                A plan holds {MOST.toLocaleString("en-GB")} points; there is room for {room.toLocaleString("en-GB")}.
                Take a file of the part about the site.
              </li>
            )}
          </ul>
          <button
            className="button mt-1"
            disabled={!ready || !taking || fresh.length > room}
            onClick={() => void take()}
          >
            Take {taking.toLocaleString("en-GB")} points
          </button>{" "}
          <button className="button mt-1" onClick={onDone}>
            Leave them
          </button>
        </div>
      )}
    </div>
  );
}

function told(points: Read[]) {
  return {
    same: points.filter((p) => p.same).length,
    twice: points.filter((p) => !p.same && p.twice !== null).length,
    named: points.filter((p) => !p.same && p.twice === null && p.named).length,
    far: points.filter((p) => !p.same && p.twice === null && !p.about).length,
  };
}
