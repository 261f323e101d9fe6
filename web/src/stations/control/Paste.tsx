import { useState } from "react";
import type { ControlPoint, Edit, PointsReading } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added } from "../../lib/edits";
import { length } from "../../lib/units";
import { newPoint } from "../../sheet/placing";
import { Select } from "../../ui/fields";
import { Options } from "../../ui/Options";
import { ProblemNote } from "../../ui/ProblemNote";
import { useReading } from "../reading";

/** Points from a spreadsheet or a list, shown before they are taken. */
export function Paste({ onDone }: { onDone: () => void }) {
  const { plan, edit } = usePlan();
  const [text, setText] = useState("");
  const [role, setRole] = useState<"target" | "check">("target");
  const { reading, problem, read, choose, clear } = useReading<PointsReading>("points");
  const { unit } = plan.brief;

  async function take() {
    const taken = new Set(plan.control.map((p) => p.id));
    const edits: Edit[] = (reading?.points ?? []).map((p, k) => {
      const wanted = (p.name || `${role === "target" ? "G" : "K"}${k + 1}`)
        .replace(/[^A-Za-z0-9_-]/g, "-")
        .slice(0, 36);
      let id = wanted;
      for (let n = 2; taken.has(id); n += 1) id = `${wanted}-${n}`;
      taken.add(id);
      const own = /chk|check/i.test(p.code) ? "check" : role;
      const point: ControlPoint = { ...newPoint(plan, own, id, p.e, p.n), name: p.name || id, h: p.h };
      return added("control", point);
    });
    if (await edit(edits)) onDone();
  }

  return (
    <div className="mb-2 border border-ink bg-sheet p-2">
      <div className="flex gap-2">
        <textarea
          className="input figures h-20 flex-1 text-sm"
          aria-label="Points"
          placeholder={"name, E, N, H or any other order with a header row; degrees are read too"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <div className="grid content-start gap-1">
          <Select
            label="Role of the points"
            value={role}
            options={[
              { id: "target", name: "as targets" },
              { id: "check", name: "as checks" },
            ]}
            onChange={setRole}
          />
          <button className="button" disabled={!text.trim()} onClick={() => void read({ text })}>
            Read points
          </button>
        </div>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && (
        <div className="mt-1" role="status">
          <p className="text-sm">
            <strong>{reading.points.length} points.</strong> {reading.how.join(" ")}
          </p>
          <p className="figures text-sm text-quiet">
            {reading.points
              .slice(0, 4)
              .map(
                (p) => `${p.name || "–"} ${[p.e, p.n, p.h].map((v) => (v === null ? "" : length(v, unit))).join(" ")}`,
              )
              .join(" · ")}
            {reading.points.length > 4 ? " …" : ""}
          </p>
          <Options options={reading.options} onChoose={(key) => void choose(key)} />
          <button className="button mt-1" disabled={reading.options.length > 0} onClick={() => void take()}>
            Take these points
          </button>
        </div>
      )}
    </div>
  );
}
