import { useState } from "react";
import type { Brief, Schemas, Sent, WhereReading } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useNavigation } from "../../app/workbench/navigation";
import { useSelection } from "../../app/workbench/selection";
import { fieldEdits } from "../../lib/edits";
import { Select } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { Options } from "../../ui/Options";
import { ProblemNote } from "../../ui/ProblemNote";
import { useReading } from "../reading";

/** The first question of a job: where? By whatever is at hand; the grids and height systems of that place follow. */
export function Where({ onDone }: { onDone: () => void }) {
  const { plan, catalogue, edit } = usePlan();
  const { carry } = useNavigation();
  const { setGoTo } = useSelection();
  const [text, setText] = useState("");
  const [unit, setUnit] = useState(plan.brief.unit);
  const [given, setGiven] = useState<Sent>({});
  const { reading, problem, read, clear } = useReading<WhereReading>("where");

  async function find(fields: Sent, of = unit, chosen = "") {
    setGiven(fields);
    await read({ ...fields, unit: of, ...(chosen && { chosen }) });
  }

  async function take(grid: Schemas["GridOffer"], heights: string) {
    const change: Partial<Brief> = { crs: grid.code, heights, unit, separation: null };
    if (!(await edit(fieldEdits(plan, "brief", change)))) return;
    if (reading?.outline) carry({ to: "boundary", fields: given });
    setGoTo({ e: grid.e, n: grid.n });
    onDone();
  }

  return (
    <section aria-label="Where" className="mb-4 border border-decision bg-sheet p-3">
      <h3 className="font-bold">Where?</h3>
      <div className="mt-1 flex flex-wrap items-start gap-2">
        <textarea
          className="input figures h-14 w-96 text-sm"
          aria-label="A place"
          placeholder={"any latitude and longitude, or a list of corners:\n46°18'14\"N 13°25'40\"W"}
          value={text}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            // One place is one line; a list of corners is pasted, and Shift+Enter goes on with it.
            if (event.key !== "Enter" || event.shiftKey || text.includes("\n") || !text.trim()) return;
            event.preventDefault();
            void find({ text });
          }}
        />
        <div className="grid gap-1">
          <button className="button" disabled={!text.trim()} onClick={() => void find({ text })}>
            Look there
          </button>
          <FileInput
            label="A file of the site"
            words="or by a file…"
            reads="where"
            onFile={(file) => void find({ file })}
          />
        </div>
        <label className="grid gap-1 text-sm">
          lengths in
          <Select
            value={unit}
            options={catalogue.units}
            onChange={(next) => {
              setUnit(next);
              if (reading) void find(given, next);
            }}
          />
        </label>
        <p className="max-w-xs text-sm text-quiet">
          The grids and height systems that are meant for the place follow. If you know the grid, choose it below.
        </p>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && (
        <div role="status" className="mt-2">
          <p className="text-sm">{reading.how.join(" ")}</p>
          <Options options={reading.options} onChoose={(chosen) => void find(given, unit, chosen)} />
          {!reading.options.length && <Offers reading={reading} onTake={(g, h) => void take(g, h)} />}
        </div>
      )}
    </section>
  );
}

/** The grids of a place beside its height systems; one of each is taken. */
function Offers(props: { reading: WhereReading; onTake: (grid: Schemas["GridOffer"], heights: string) => void }) {
  const { grids, heights, outline } = props.reading;
  const [grid, setGrid] = useState(grids[0]);
  const [height, setHeight] = useState(() => heights.find((h) => !h.missing)!.code);
  if (!grid) return <p>No grid is made for this place. Search for one below.</p>;
  return (
    <>
      <button className="button mt-1 font-bold" onClick={() => props.onTake(grid, height)}>
        Use this grid and these heights
      </button>
      {outline && (
        <span className="ml-3 text-sm text-quiet">Its outline then waits in Site, to become the boundary.</span>
      )}
      <div className="mt-2 grid grid-cols-2 gap-6">
        <fieldset>
          <legend className="font-bold">Grid, meant for this place</legend>
          <div className="max-h-56 overflow-y-auto">
            {grids.map((g) => (
              <label key={g.code} className="flex cursor-pointer gap-2 py-0.5">
                <input type="radio" name="grid" checked={g.code === grid.code} onChange={() => setGrid(g)} />
                <span>
                  {g.name} <span className="figures text-sm text-quiet">{g.code}</span>
                  <span className="block text-sm text-quiet">{g.words}</span>
                </span>
              </label>
            ))}
          </div>
        </fieldset>
        <fieldset>
          <legend className="font-bold">Heights</legend>
          <div className="max-h-56 overflow-y-auto">
            {heights.map((h) => (
              <label key={h.code} className="flex cursor-pointer gap-2 py-0.5">
                <input type="radio" name="heights" checked={h.code === height} onChange={() => setHeight(h.code)} />
                <span>
                  {h.name} {h.code !== "ellipsoidal" && <span className="figures text-sm text-quiet">{h.code}</span>}
                  {h.missing && <span className="block text-sm text-decision-text">{h.missing}</span>}
                </span>
              </label>
            ))}
          </div>
        </fieldset>
      </div>
    </>
  );
}
