import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { BackdropReading } from "../../api/client";
import { usePlan } from "../../app/plan";
import { useOverlay } from "../../app/workbench/overlay";
import { added, fieldEdits, removed } from "../../lib/edits";
import { Field, TextField } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { ActionsHead, Remove } from "../../ui/Remove";
import { useCarried, useReading } from "../reading";

/** Pictures of the site under the drawing, each with the date it was taken on: what was built since is not on it. */
export function BackdropView() {
  const { plan, edit } = usePlan();
  const { backdrop, setBackdrop } = useOverlay();
  const client = useQueryClient();
  const { reading, problem, read, forget, clear } = useReading<BackdropReading>("backdrop");
  const [picture, setPicture] = useState<File | null>(null);
  const [world, setWorld] = useState<File | null>(null);
  const [taken, setTaken] = useState("");
  const pictures = plan.site.backdrops ?? [];
  useCarried("backdrop", ({ file, beside }) => {
    setPicture(file as File);
    setWorld((beside as File[] | undefined)?.[0] ?? null);
  });
  const plainPicture = picture && !/\.tiff?$/i.test(picture.name);
  async function take() {
    const { value } = reading!;
    if (!(await edit([added("site/backdrops", value)]))) return;
    setBackdrop({ id: value.id, opacity: 1 });
    forget();
    setPicture(null);
    setWorld(null);
    void client.invalidateQueries({ queryKey: ["plan"] });
  }
  return (
    <section data-testid="backdrop">
      <div className="flex flex-wrap items-end gap-3">
        <Field label="GeoTIFF, or JPEG / PNG">
          {(id) => <FileInput id={id} label="Picture of the site" reads="backdrop" onFile={setPicture} />}
        </Field>
        {picture && <span className="self-center">{picture.name}</span>}
        {plainPicture && (
          <Field label="its world file">
            {(id) => <FileInput id={id} label="World file" reads="world_file" onFile={setWorld} />}
          </Field>
        )}
        {world && <span className="self-center">{world.name}</span>}
        <Field label="taken on">
          {(id) => (
            <input
              id={id}
              className="input"
              type="date"
              value={taken}
              onChange={(event) => setTaken(event.target.value)}
            />
          )}
        </Field>
        <button
          className="button"
          disabled={!picture || (!!plainPicture && !world)}
          onClick={() => void read({ file: picture!, ...(world ? { world } : {}), taken })}
        >
          Read picture
        </button>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {reading && (
        <div className="mt-1 border border-decision bg-sheet p-2 text-sm" role="status">
          <p>{reading.how.join(" ")}</p>
          {!reading.value.taken && (
            <p className="text-decision-text">Nobody said when it was taken: its age cannot be warned of.</p>
          )}
          <button className="button mt-1" onClick={() => void take()}>
            Use this picture
          </button>{" "}
          <button className="button mt-1" onClick={forget}>
            Discard
          </button>
        </div>
      )}
      {pictures.length ? (
        <table className="table mt-2">
          <thead>
            <tr>
              <th>shown</th>
              <th>name</th>
              <th>taken on</th>
              <th>how strong</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {pictures.map((one) => {
              const path = `site/backdrops/${one.id}`;
              const shown = backdrop?.id === one.id;
              return (
                <tr key={one.id}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Show ${one.name}`}
                      checked={shown}
                      onChange={() => setBackdrop(shown ? null : { id: one.id, opacity: 1 })}
                    />
                  </td>
                  <td>
                    <TextField
                      label={`Name of ${one.name}`}
                      value={one.name}
                      width="w-56"
                      onCommit={(name) => void edit(fieldEdits(plan, path, { name }))}
                    />
                  </td>
                  <td>
                    <input
                      className="input"
                      type="date"
                      aria-label={`Date of ${one.name}`}
                      value={one.taken ?? ""}
                      onChange={(event) => void edit(fieldEdits(plan, path, { taken: event.target.value }))}
                    />
                  </td>
                  <td>
                    <input
                      type="range"
                      min={0.1}
                      max={1}
                      step={0.1}
                      aria-label={`How strong ${one.name} is shown`}
                      disabled={!shown}
                      value={shown ? backdrop.opacity : 1}
                      onChange={(event) => setBackdrop({ id: one.id, opacity: Number(event.target.value) })}
                    />
                  </td>
                  <td>
                    <Remove onClick={() => void edit([removed(plan, path)])} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      ) : (
        <p className="mt-2 text-quiet">
          No picture yet. A GeoTIFF says itself where it lies; a JPEG or PNG needs its world file, whose figures are
          taken as of the job's own grid.
        </p>
      )}
    </section>
  );
}
