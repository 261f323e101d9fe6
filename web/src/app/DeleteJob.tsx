import { useForm } from "react-hook-form";
import { useState } from "react";
import { call, type JobLine } from "../api/client";
import { Panel } from "../ui/Panel";
import { ProblemNote } from "../ui/ProblemNote";
import { useDoing } from "../ui/useDoing";

/** An archived job deleted for good, once its title is typed. */
export function DeleteJob({ job, onDone }: { job: JobLine; onDone: () => void }) {
  const [asking, setAsking] = useState(false);
  const { register, handleSubmit, watch } = useForm({ defaultValues: { title: "" } });
  const { doing, problem, busy, clear } = useDoing();
  const remove = handleSubmit(async ({ title }) => {
    if (await doing(() => call("DELETE", `/jobs/${job.id}?title=${encodeURIComponent(title)}`))) onDone();
  });
  return (
    <>
      <button className="button text-sm" onClick={() => setAsking(true)}>
        delete…
      </button>
      <Panel open={asking} onClose={() => setAsking(false)} title={`Delete ${job.title} for good?`}>
        <form className="mt-2 grid gap-3" onSubmit={(event) => void remove(event)}>
          <p>Its plan, its book and what was computed of it go, and do not come back.</p>
          <label className="grid gap-1">
            Type its title
            <input className="input" autoComplete="off" {...register("title")} />
          </label>
          {problem && <ProblemNote problem={problem} onClose={clear} />}
          <button className="button justify-self-start" disabled={watch("title").trim() !== job.title || busy}>
            Delete for good
          </button>
        </form>
      </Panel>
    </>
  );
}
