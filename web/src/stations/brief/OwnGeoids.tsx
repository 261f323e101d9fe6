import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { call, upload, type GeoidTaken, type OwnGeoid, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";
import { fieldEdits } from "../../lib/edits";
import { Field } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remove } from "../../ui/Remove";
import { useDoing } from "../../ui/useDoing";

/** Geoid models that the organisation brought: kept once, taken by a job for the part about its site. */
export function OwnGeoids() {
  const { jobId, plan, edit } = usePlan();
  const queries = useQueryClient();
  const path = `/jobs/${jobId}/geoids`;
  const key = ["geoids", jobId];
  const found = useQuery<OwnGeoid[], Problem>({ queryKey: key, queryFn: () => call("GET", path) });
  const [name, setName] = useState("");
  const [taken, setTaken] = useState<GeoidTaken | null>(null);
  const { doing: tried, problem, clear } = useDoing();
  const doing = (work: () => Promise<unknown>) => {
    setTaken(null);
    return tried(work);
  };
  const put = (one: GeoidTaken) =>
    edit(
      fieldEdits(plan, "brief", {
        heights: one.heights,
        geoid: one.geoid as typeof plan.brief.geoid,
        separation: null,
      }),
    );
  const take = async (id: string) => {
    const one = await call<GeoidTaken>("GET", `${path}/${id}`);
    setTaken(one);
    if (!one.odd) await put(one);
  };
  const keep = async (file: File) => {
    await upload<OwnGeoid>(path, { file, name: name.trim() || file.name.replace(/\.[^.]*$/, "").slice(0, 50) });
    setName("");
    await queries.invalidateQueries({ queryKey: key });
  };
  return (
    <details className="mt-3" data-testid="own-geoids" open={plan.brief.heights.startsWith("geoid:")}>
      <summary className="cursor-pointer font-bold">Geoids of your own</summary>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {taken && (
        <p role="status" className={`mt-1 ${taken.odd ? "font-bold text-decision-text" : ""}`}>
          {taken.words}{" "}
          {taken.odd && (
            <button className="button text-sm" onClick={() => void put(taken)}>
              use it all the same
            </button>
          )}
        </p>
      )}
      {(found.data?.length ?? 0) > 0 && (
        <table className="table mt-1 w-auto text-sm">
          <tbody>
            {found.data!.map((one) => (
              <tr key={one.id}>
                <td>{one.name}</td>
                <td className="text-quiet">{one.covers}</td>
                <td>
                  <button className="button text-sm" onClick={() => void doing(() => take(one.id))}>
                    {plan.brief.heights === `geoid:${one.name}` ? "take again" : "take for this job"}
                  </button>
                </td>
                <td>
                  <Remove
                    onClick={() =>
                      void doing(async () => {
                        await call("DELETE", `${path}/${one.id}`);
                        await queries.invalidateQueries({ queryKey: key });
                      })
                    }
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="mt-1 flex flex-wrap items-end gap-3">
        <Field label="What it is called">
          {(id) => (
            <input
              id={id}
              className="input w-48"
              maxLength={50}
              value={name}
              placeholder="as its file"
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Field>
        <Field label="Its file: GTX or GeoTIFF, separations in metres">
          {(id) => <FileInput id={id} reads="geoid" onFile={(file) => void doing(() => keep(file))} />}
        </Field>
      </div>
      <p className="mt-1 max-w-3xl text-sm text-quiet">
        A job takes the part about its site, half a degree or so each way, and stands on that wherever it is opened.
      </p>
    </details>
  );
}
