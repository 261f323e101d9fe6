import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Link, useNavigate } from "react-router";
import { call, upload, type JobLine, type Session } from "../api/client";
import { useOutside } from "../lib/narrow";
import { useMay } from "./session";
import { chance, clock, fine, fineUnit } from "../lib/units";
import { FileInput } from "../ui/FileInput";
import { ProblemNote } from "../ui/ProblemNote";
import { Drawing } from "./Drawing";
import { SignOut, ThemeChoice } from "./TopBar";
import { useDoing } from "../ui/useDoing";

// on nobody's way to a job
const DeleteJob = lazy(() => import("./DeleteJob").then((m) => ({ default: m.DeleteJob })));
const PasswordDialog = lazy(() => import("./Password").then((m) => ({ default: m.PasswordDialog })));

const ORDERS = {
  changed: { name: "last changed first", by: (a: JobLine, b: JobLine) => b.saved_at.localeCompare(a.saved_at) },
  title: { name: "by title", by: (a: JobLine, b: JobLine) => a.title.localeCompare(b.title) },
  chance: {
    name: "least chance first",
    by: (a: JobLine, b: JobLine) => (a.promise?.chance ?? 2) - (b.promise?.chance ?? 2),
  },
};
type Order = keyof typeof ORDERS;

export function Jobs({ session }: { session: Session }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const { doing, problem, clear } = useDoing();
  const [sought, setSought] = useState("");
  const [order, setOrder] = useState<Order>("changed");
  const [archived, setArchived] = useState(false);
  const [asked, setAsked] = useState(false);
  const may = useMay("plan");
  const deletes = useMay("delete");
  const outside = useOutside();
  const jobs = useQuery({
    queryKey: ["jobs", archived],
    queryFn: () => call<JobLine[]>("GET", `/jobs?archived=${archived}`),
    staleTime: 0,
  });
  const words = sought.toLowerCase().split(/\s+/);
  const shown = (jobs.data ?? [])
    .filter((job) => words.every((word) => `${job.title} ${job.saved_by}`.toLowerCase().includes(word)))
    .sort(ORDERS[order].by);

  async function attempt(asked: Promise<JobLine>, then: (job: JobLine) => unknown) {
    await doing(async () => {
      const job = await asked;
      await client.invalidateQueries({ queryKey: ["jobs"] });
      await then(job);
    });
  }
  const open = (asked: Promise<JobLine>) => attempt(asked, (job) => navigate(`/jobs/${job.id}`));
  const archive = (job: JobLine) =>
    attempt(call<JobLine>("POST", `/jobs/${job.id}/archive`, { archived: !job.archived }), () => {});

  return (
    <main className="mx-auto max-w-6xl p-3 sm:p-6">
      <header className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-ink pb-2">
        <h1 className="text-2xl font-bold text-decision-text">Kardo</h1>
        <p className="flex-1 text-quiet">{session.organisation}</p>
        <Link className="underline" to="/rules">
          Rules of practice
        </Link>
        <ThemeChoice />
        <span>
          {session.name} <span className="text-quiet">({session.roles.join(", ")})</span>
        </span>
        <button className="cursor-pointer underline" onClick={() => setAsked(true)}>
          password…
        </button>
        <SignOut />
      </header>
      {asked && (
        <Suspense>
          <PasswordDialog onClose={() => setAsked(false)} />
        </Suspense>
      )}
      {may && (
        <div className="mt-5 flex flex-wrap items-end gap-x-6 gap-y-3">
          <form
            className="flex flex-wrap items-end gap-2"
            action={(form) => open(call<JobLine>("POST", "/jobs", { title: form.get("title") as string }))}
          >
            <label className="grid gap-1">
              New job
              <input
                className="input w-72"
                name="title"
                placeholder="What is surveyed, and where"
                required
                maxLength={120}
              />
            </label>
            <button className="button">Start</button>
          </form>
          <FileInput
            label="Import a Kardo plan"
            words="Import a Kardo plan…"
            accept=".json"
            onFile={(file) => void open(upload<JobLine>("/jobs/import", { file }))}
          />
        </div>
      )}
      {problem && (
        <div className="mt-4">
          <ProblemNote problem={problem} onClose={clear} />
        </div>
      )}
      <div className="mt-6 flex flex-wrap items-end gap-4">
        <h2 className="flex-1 text-lg font-bold">{archived ? "Archived jobs" : "Jobs"}</h2>
        <input
          className="input w-56"
          type="search"
          aria-label="Search jobs"
          placeholder="search by title or person"
          value={sought}
          onChange={(event) => setSought(event.target.value)}
        />
        <select
          className="input"
          aria-label="Order of the jobs"
          value={order}
          onChange={(event) => setOrder(event.target.value as Order)}
        >
          {Object.entries(ORDERS).map(([id, { name }]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
        <button className="button" aria-pressed={archived} onClick={() => setArchived(!archived)}>
          {archived ? "back to the jobs" : "archived jobs"}
        </button>
      </div>
      {jobs.data?.length === 0 && (
        <p className="mt-2 text-quiet">
          {archived ? (
            "Nothing is archived."
          ) : (
            <>
              There is no job yet. Name one above, or import a Kardo plan; <code>kardo demo-plan sallow-bank</code>{" "}
              prints one to try.
            </>
          )}
        </p>
      )}
      {!!jobs.data?.length && !shown.length && <p className="mt-2 text-quiet">No job of that name.</p>}
      <ul className="mt-2 border-t border-hairline">
        {shown.map((job) => (
          <li
            key={job.id}
            className="grid grid-cols-[72px_minmax(0,1fr)] items-center gap-x-4 gap-y-2 border-b border-hairline py-2 lg:grid-cols-[72px_minmax(0,1fr)_330px_auto]"
          >
            <Drawing of={job.drawing} />
            <div className="min-w-0">
              <Link
                className="font-medium underline decoration-hairline hover:decoration-ink"
                to={`/jobs/${job.id}${outside ? "/book" : ""}`}
              >
                {job.title}
              </Link>
              {job.demo && <span className="ml-2 border border-hairline px-1 text-xs text-quiet">demo</span>}
              <p className="text-sm text-quiet">
                {job.saved_by || "nobody"}, {new Date(job.saved_at).toLocaleDateString("en-GB")} {clock(job.saved_at)}
              </p>
            </div>
            <Promised job={job} />
            <div className="col-start-2 flex gap-2 lg:col-start-auto">
              {may && (
                <>
                  <button
                    className="button text-sm"
                    onClick={() =>
                      void open(call<JobLine>("POST", `/jobs/${job.id}/like`, { title: `${job.title}, again` }))
                    }
                  >
                    duplicate
                  </button>
                  <button className="button text-sm" onClick={() => void archive(job)}>
                    {job.archived ? "fetch back" : "archive"}
                  </button>
                </>
              )}
              {job.archived && deletes && (
                <Suspense>
                  <DeleteJob job={job} onDone={() => void client.invalidateQueries({ queryKey: ["jobs"] })} />
                </Suspense>
              )}
            </div>
          </li>
        ))}
      </ul>
    </main>
  );
}

/** What a job promises as it stands; the shape says it as well as the words. */
function Promised({ job }: { job: JobLine }) {
  const said = job.promise;
  const unit = job.drawing?.unit ?? "m";
  if (!said) return <p className="col-start-2 text-sm text-quiet lg:col-start-auto">○ not predicted as it stands</p>;
  const outside = said.rmse_h > said.limit_h || (said.limit_v !== null && said.rmse_v > said.limit_v);
  return (
    <div className={`col-start-2 lg:col-start-auto ${said.good ? "text-settled" : "text-decision-text"}`}>
      <p>
        {said.good ? "● keeps its tolerance" : outside ? "◆ outside its tolerance" : "◐ not sure of its tolerance"}
        {said.chance !== null && `, ${chance(said.chance)} to pass`}
      </p>
      <p className="figures text-sm text-ink">
        H {fine(said.rmse_h, unit)} of {fine(said.limit_h, unit)} · V {fine(said.rmse_v, unit)}
        {said.limit_v !== null && ` of ${fine(said.limit_v, unit)}`} {fineUnit(unit)}
      </p>
      {said.newer && (
        <p className="text-sm text-decision-text">
          ◆ by older defaults; by those of {said.newer.edition} H {fine(said.newer.rmse_h, unit)}, V{" "}
          {fine(said.newer.rmse_v, unit)} {fineUnit(unit)}
        </p>
      )}
    </div>
  );
}
