import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import { useLive, type LiveDesk } from "./live";
import {
  call,
  Problem,
  type Catalogue,
  type Change,
  type Plan,
  type PlanAnswer,
  type Prediction,
  type Result,
  type Summary,
} from "../api/client";

/** A conflict to be settled: what I wanted against what stands there now. */
export interface Conflict {
  mine: Change[];
  theirs: Change[];
}

interface PlanDesk {
  jobId: string;
  plan: Plan;
  answer: PlanAnswer;
  summary: Summary | undefined;
  prediction: Prediction | undefined;
  /** The newest finished figures, shown while the next ones are on their way. */
  result: Result | null;
  /** The figures before those. */
  before: Result | null;
  /** Live answers to what is being tried. */
  trial: LiveDesk;
  catalogue: Catalogue;
  saving: boolean;
  fault: Problem | null;
  conflict: Conflict | null;
  edit: (changes: Change[]) => Promise<boolean>;
  step: (direction: "undo" | "redo") => Promise<void>;
  settle: (keep: "mine" | "theirs") => void;
  /** Stop the prediction that is under way, or start it again. */
  run: (what: "start" | "stop") => Promise<void>;
  dismiss: () => void;
}

const Desk = createContext<PlanDesk | null>(null);

export function usePlan(): PlanDesk {
  const desk = useContext(Desk);
  if (!desk) throw new Error("usePlan outside of PlanProvider");
  return desk;
}

/** The plan with some changes laid over it, for the moment until the server answers. */
export function withChanges(plan: Plan, changes: Change[]): Plan {
  const next = { ...plan };
  for (const { object, value } of changes) {
    const [kind, id] = object.split("/") as [string, string | undefined];
    if (kind === "mark") next.marks = replaced(next.marks, id!, value as Plan["marks"][number] | null);
    else if (kind === "area") next.areas = replaced(next.areas, id!, value as Plan["areas"][number] | null);
    else if (kind === "control") next.control = replaced(next.control, id!, value as Plan["control"][number] | null);
    else (next as unknown as Record<string, unknown>)[kind] = value;
  }
  return next;
}

function replaced<T extends { id: string }>(rows: T[], id: string, value: T | null): T[] {
  if (value === null) return rows.filter((r) => r.id !== id);
  return rows.some((r) => r.id === id) ? rows.map((r) => (r.id === id ? value : r)) : [...rows, value];
}

export function PlanProvider({ jobId, children }: { jobId: string; children: ReactNode }) {
  const client = useQueryClient();
  const planKey = useMemo(() => ["plan", jobId], [jobId]);
  const answer = useQuery({
    queryKey: planKey,
    queryFn: () => call<PlanAnswer>("GET", `/jobs/${jobId}/plan`),
  });
  const catalogue = useQuery({
    queryKey: ["catalogue"],
    queryFn: () => call<Catalogue>("GET", "/catalogue"),
    staleTime: Infinity,
  });
  const hash = answer.data?.hash;
  const summary = useQuery({
    queryKey: ["summary", jobId, hash],
    queryFn: () => call<Summary>("GET", `/jobs/${jobId}/summary`),
    enabled: !!hash,
    placeholderData: (previous) => previous,
  });
  const prediction = useQuery({
    queryKey: ["prediction", jobId, hash],
    queryFn: () => call<Prediction>("GET", `/jobs/${jobId}/prediction`),
    enabled: !!hash,
    refetchInterval: (query) =>
      ["queued", "running", "cancelled"].includes(query.state.data?.state ?? "") ? 120 : false,
    placeholderData: (previous) => previous,
  });
  const { result, before } = useLatestResults(prediction.data);
  const predictionKey = useMemo(() => ["prediction", jobId, hash], [jobId, hash]);
  const run = useCallback(
    async (what: "start" | "stop") => {
      await call("POST", `/jobs/${jobId}/prediction/${what}`);
      await client.invalidateQueries({ queryKey: predictionKey });
    },
    [client, jobId, predictionKey],
  );
  const trial = useLive(jobId, result?.hash);
  const { ask, clear } = trial;

  const [fault, setFault] = useState<Problem | null>(null);
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const [pending, setPending] = useState(0);
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  /** Changes not yet answered: they stay laid over whatever the server says meanwhile. */
  const waiting = useRef<Change[][]>([]);

  /** Steps go to the server one after another, each based on the answer to the one before. */
  const send = useCallback(
    (request: () => Promise<PlanAnswer>, wanted: Change[]): Promise<boolean> => {
      setPending((n) => n + 1);
      waiting.current.push(wanted);
      const run = queue.current.then(async () => {
        try {
          const saved = await request();
          waiting.current.shift();
          client.setQueryData(planKey, { ...saved, plan: withChanges(saved.plan, waiting.current.flat()) });
          setFault(null);
          return true;
        } catch (error) {
          waiting.current.shift();
          const problem = error instanceof Problem ? error : new Problem(0, String(error));
          if (problem.status === 412 && wanted.length) setConflict({ mine: wanted, theirs: problem.current });
          else setFault(problem);
          await client.invalidateQueries({ queryKey: planKey });
          return false;
        } finally {
          setPending((n) => n - 1);
        }
      });
      queue.current = run;
      return run;
    },
    [client, planKey],
  );

  const edit = useCallback(
    (changes: Change[]) => {
      client.setQueryData<PlanAnswer>(planKey, (old) => old && { ...old, plan: withChanges(old.plan, changes) });
      if (changes.every((c) => c.object.startsWith("control/"))) ask([...waiting.current.flat(), ...changes]);
      else clear();
      return send(() => {
        const revision = client.getQueryData<PlanAnswer>(planKey)?.revision ?? 0;
        return call<PlanAnswer>("PATCH", `/jobs/${jobId}/plan`, { changes }, { "If-Match": `"${revision}"` });
      }, changes);
    },
    [client, planKey, send, jobId, ask, clear],
  );

  const step = useCallback(
    async (direction: "undo" | "redo") => {
      clear();
      if (await send(() => call<PlanAnswer>("POST", `/jobs/${jobId}/plan/${direction}`), [])) ask([]);
    },
    [send, jobId, ask, clear],
  );

  const settle = useCallback(
    (keep: "mine" | "theirs") => {
      const mine = conflict?.mine;
      setConflict(null);
      if (keep === "mine" && mine) void edit(mine);
    },
    [conflict, edit],
  );

  if (answer.error) return <Closed problem={answer.error as Problem} />;
  if (!answer.data || !catalogue.data) return <p className="p-6">Opening the job…</p>;
  return (
    <Desk.Provider
      value={{
        jobId,
        plan: answer.data.plan,
        answer: answer.data,
        summary: summary.data,
        prediction: prediction.data,
        result,
        before,
        trial,
        catalogue: catalogue.data,
        saving: pending > 0,
        fault,
        conflict,
        edit,
        step,
        settle,
        run,
        dismiss: () => setFault(null),
      }}
    >
      {children}
    </Desk.Provider>
  );
}

/** Keeps the last two finished results, so that the staff can show where a mark came from. */
function useLatestResults(prediction: Prediction | undefined) {
  const [kept, setKept] = useState<{ result: Result | null; before: Result | null }>({
    result: null,
    before: null,
  });
  const fresh = prediction?.state === "done" ? prediction.result : null;
  if (fresh && fresh.hash !== kept.result?.hash) setKept({ result: fresh, before: kept.result });
  if (prediction && ["lacking", "failed"].includes(prediction.state) && kept.result)
    setKept({ result: null, before: kept.result });
  return kept;
}

function Closed({ problem }: { problem: Problem }) {
  return (
    <main className="p-6">
      <h1 className="text-xl font-bold">{problem.status === 404 ? "There is no such job here." : problem.what}</h1>
      <p className="mt-2">
        <a className="underline" href="/">
          All jobs
        </a>
      </p>
    </main>
  );
}
