import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { call, Problem, upload, type JobLine, type Session } from "../api/client";
import { clock } from "../lib/units";
import { ProblemNote } from "../ui/ProblemNote";
import { SignOut, ThemeChoice } from "./TopBar";

export function Jobs({ session }: { session: Session }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [problem, setProblem] = useState<Problem | null>(null);
  const jobs = useQuery({ queryKey: ["jobs"], queryFn: () => call<JobLine[]>("GET", "/jobs"), staleTime: 0 });

  async function open(make: Promise<JobLine>) {
    try {
      const job = await make;
      await client.invalidateQueries({ queryKey: ["jobs"] });
      await navigate(`/jobs/${job.id}`);
    } catch (error) {
      setProblem(error as Problem);
    }
  }

  return (
    <main className="mx-auto max-w-3xl p-6">
      <header className="flex items-baseline gap-4 border-b border-ink pb-2">
        <h1 className="text-2xl font-bold text-decision-text">Kardo</h1>
        <p className="flex-1 text-quiet">{session.organisation}</p>
        <ThemeChoice />
        <span>{session.name}</span>
        <SignOut />
      </header>
      <h2 className="mt-6 text-lg font-bold">Jobs</h2>
      {jobs.data?.length === 0 && (
        <p className="mt-2 text-quiet">
          There is no job yet. Name one below, or bring in a Kardo plan; <code>kardo demo-plan sallow-bank</code> prints
          one to try.
        </p>
      )}
      <ul className="mt-2">
        {jobs.data?.map((job) => (
          <li key={job.id} className="flex items-baseline gap-3 border-b border-hairline py-2">
            <Link
              className="flex-1 font-medium underline decoration-hairline hover:decoration-ink"
              to={`/jobs/${job.id}`}
            >
              {job.title}
            </Link>
            <span className="figures text-quiet">
              saved {new Date(job.saved_at).toLocaleDateString("en-GB")} {clock(job.saved_at)}
            </span>
          </li>
        ))}
      </ul>
      <div className="mt-6 flex flex-wrap items-end gap-6">
        <form
          className="flex items-end gap-2"
          action={(form) => open(call<JobLine>("POST", "/jobs", { title: String(form.get("title")) }))}
        >
          <label className="grid gap-1">
            New job
            <input
              className="input w-64"
              name="title"
              placeholder="What is surveyed, and where"
              required
              maxLength={120}
            />
          </label>
          <button className="button">Start</button>
        </form>
        <label className="button">
          Bring in a Kardo plan…
          <input
            type="file"
            accept=".json"
            className="sr-only"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) void open(upload<JobLine>("/jobs/import", { file }));
              event.target.value = "";
            }}
          />
        </label>
      </div>
      {problem && (
        <div className="mt-4">
          <ProblemNote problem={problem} onClose={() => setProblem(null)} />
        </div>
      )}
    </main>
  );
}
