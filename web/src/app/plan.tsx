import { useQuery, useQueryClient } from "@tanstack/react-query";
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useState,
  useSyncExternalStore,
  type ReactNode,
} from "react";
import {
  call,
  Problem,
  upload,
  type Catalogue,
  type Edit,
  type Finding,
  type Plan,
  type PlanAnswer,
  type Prediction,
  type Result,
  type Summary,
  type ResultText,
  type Undetermined,
  type Entry,
  type Schemas,
} from "../api/client";
import { applied } from "../lib/edits";
import { Glossary } from "../ui/Glossary";
import { UNDER_WAY } from "../ui/UnderWay";
import { useEvents } from "./events";
import { useLive, type LiveDesk } from "./live";
import { useMay } from "./session";
import { Outbox, type OutboxState } from "./outbox";
import { store, type Waiting } from "./store";

interface PlanDesk {
  jobId: string;
  /** The plan as the person sees it: the server's, with what is still to be sent laid over it. */
  plan: Plan;
  answer: PlanAnswer;
  summary: Summary | undefined;
  /** The figures of this plan; null where there are none, and while they are computed: those of another state never stand beside it. */
  result: Result | null;
  /** What the network does not determine, in the place of figures. */
  undetermined: Undetermined | null;
  /** The figures before those. */
  before: Result | null;
  told: ResultText | null;
  findings: Finding[] | null;
  /** Live answers to what is being tried. */
  trial: LiveDesk;
  catalogue: Catalogue;
  fault: Problem | null;
  edit: (edits: Edit[]) => Promise<boolean>;
  step: (direction: "undo" | "redo", over?: boolean) => Promise<void>;
  /** A step back that somebody else built on. */
  stuck: { direction: "undo" | "redo"; problem: Problem } | null;
  unstick: () => void;
  dismiss: () => void;
}

interface ProgressDesk {
  prediction: Prediction | undefined;
  /** Whether all that is shown belongs to the plan as it is saved, and nothing is on its way. */
  settled: boolean;
  /** Stop the prediction that is under way, or start it again. */
  run: (what: "start" | "stop") => Promise<void>;
}

interface OutboxDesk extends OutboxState {
  write: (entries: Entry[]) => Promise<boolean>;
  decide: (entry: Waiting, keep: "mine" | "theirs") => void;
  forget: (entry: Waiting) => void;
  retry: (entry: Waiting) => void;
  wake: () => void;
}

const Desk = createContext<PlanDesk | null>(null);
const Progress = createContext<ProgressDesk | null>(null);
const Unsent = createContext<OutboxDesk | null>(null);

function use<T>(context: React.Context<T | null>): T {
  const desk = useContext(context);
  if (!desk) throw new Error("used outside of PlanProvider");
  return desk;
}

/** The plan and all that is known of it; does not change while a computation makes progress. */
export const usePlan = () => use(Desk);
/** How far the prediction is. */
export const useProgress = () => use(Progress);
/** What the server has not yet taken. */
export const useOutbox = () => use(Unsent);

export function PlanProvider({ jobId, user, children }: { jobId: string; user: string; children: ReactNode }) {
  const client = useQueryClient();
  const planKey = useMemo(() => ["plan", jobId], [jobId]);
  const answer = useQuery({ queryKey: planKey, queryFn: () => call<PlanAnswer>("GET", `/jobs/${jobId}/plan`) });
  const catalogue = useQuery({
    queryKey: ["catalogue"],
    queryFn: () => call<Catalogue>("GET", "/catalogue"),
    staleTime: 3_600_000,
  });
  const take = useCallback(
    (saved: PlanAnswer) =>
      client.setQueryData<PlanAnswer>(planKey, (old) => (old && old.revision > saved.revision ? old : saved)),
    [client, planKey],
  );
  const outbox = useOutboxOf(jobId, user, take);
  const revision = answer.data?.revision;
  const summary = useQuery({
    queryKey: ["summary", jobId, revision],
    queryFn: () => call<Summary>("GET", `/jobs/${jobId}/summary`),
    enabled: revision !== undefined,
    placeholderData: (previous) => previous,
  });
  const progress = usePrediction(jobId, revision);
  useEvents(jobId, revision);
  const known = useLatestResults(progress.prediction);
  const trial = useLive(jobId, known.result?.hash);
  const behind = useLasting(UNDER_WAY.includes(progress.prediction?.state ?? ""), BEHIND_MS);
  const latest = useMemo(
    () => (behind ? { ...NOTHING, before: known.result ?? known.before } : known),
    [behind, known],
  );
  const { ask, clear } = trial;
  const [fault, setFault] = useState<Problem | null>(null);
  const [stuck, setStuck] = useState<PlanDesk["stuck"]>(null);
  const [stepping, setStepping] = useState(0); // undo and redo under way: they are not in the outbox

  const base = answer.data?.plan;
  const entries = outbox.state.entries;
  const plan = useMemo(
    () => base && applied(base, entries.filter((e) => !e.refused).flatMap((e) => e.edits)), // prettier-ignore
    [base, entries],
  );

  const may = useMay("plan");
  /** Whether nothing may change, under a signature or by one's role, which is then told. */
  const told = useCallback(() => {
    const frozen = client.getQueryData<PlanAnswer>(planKey)?.frozen;
    if (frozen)
      setFault(new Problem(422, `The job is signed and ${frozen}.`, "", "It can be opened again in Close (9)."));
    if (!frozen && !may)
      setFault(
        new Problem(403, "You read this job: your role changes no plan.", "", "Ask a planner of your organisation."),
      );
    return !!frozen || !may;
  }, [client, planKey, may]);

  const edit = useCallback(
    async (edits: Edit[]) => {
      if (!edits.length) return true;
      if (told()) return false;
      const unsent = outbox.box.waiting.flatMap((e) => e.edits);
      if (edits.every((e) => e.path.startsWith("control/"))) ask([...unsent, ...edits]);
      else clear();
      setFault(null);
      return outbox.box.put(edits, client.getQueryData<PlanAnswer>(planKey)?.revision ?? 0);
    },
    [outbox.box, client, planKey, ask, clear, told],
  );

  const step = useCallback(
    async (direction: "undo" | "redo", over = false) => {
      clear();
      setStuck(null);
      if (told()) return;
      setStepping((n) => n + 1);
      try {
        if (direction === "undo" && !over && (await outbox.box.takeBack())) return;
        await outbox.box.flush();
        take(await call<PlanAnswer>("POST", `/jobs/${jobId}/plan/${direction}${over ? "?over=true" : ""}`));
        setFault(null);
        ask([]);
      } catch (error) {
        const problem = error instanceof Problem ? error : new Problem(0, String(error));
        if (problem.status === 412 || (problem.status === 422 && problem.where)) setStuck({ direction, problem });
        else setFault(problem);
      } finally {
        setStepping((n) => n - 1);
      }
    },
    [outbox.box, jobId, take, ask, clear, told],
  );

  const desk = useMemo((): PlanDesk | null => {
    if (!plan || !answer.data || !catalogue.data) return null;
    return {
      jobId,
      plan,
      answer: answer.data,
      summary: summary.data,
      ...latest,
      trial,
      catalogue: catalogue.data,
      fault,
      edit,
      step,
      stuck,
      unstick: () => setStuck(null),
      dismiss: () => setFault(null),
    };
  }, [jobId, plan, answer.data, summary.data, latest, trial, catalogue.data, fault, edit, step, stuck]);

  const unsent = useMemo((): OutboxDesk => {
    const { box, state } = outbox;
    return {
      ...state,
      write: (entries) => box.putEntries(entries),
      decide: (entry, keep) => void box.decide(entry, keep),
      forget: (entry) => void box.forget(entry),
      retry: (entry) => void box.retry(entry),
      wake: () => box.wake(),
    };
  }, [outbox]);

  const held = summary.isPlaceholderData || summary.data?.hash !== answer.data?.hash;
  const settled = !outbox.state.sending && !outbox.box.waiting.length && !stepping && !held && progress.settled;
  const reported = useMemo((): ProgressDesk => ({ ...progress, settled }), [progress, settled]);

  if (!desk) {
    const problem = answer.error ?? catalogue.error;
    return problem ? <Closed problem={problem as Problem} /> : <p className="p-6">Opening the job…</p>;
  }
  return (
    <Desk.Provider value={desk}>
      <Progress.Provider value={reported}>
        <Unsent.Provider value={unsent}>
          <Glossary entries={desk.catalogue.glossary}>{children}</Glossary>
        </Unsent.Provider>
      </Progress.Provider>
    </Desk.Provider>
  );
}

/** This moment by the device's clock, with its offset from UTC. */
export function here(): string {
  const now = new Date();
  const ahead = -now.getTimezoneOffset();
  const local = new Date(now.getTime() + 60_000 * ahead).toISOString().slice(0, 23);
  const two = (n: number) => String(Math.floor(Math.abs(n))).padStart(2, "0");
  return `${local}${ahead < 0 ? "-" : "+"}${two(ahead / 60)}:${two(ahead % 60)}`;
}

/** A picture goes before the entry that names it; one that is not on this device was sent before. */
async function sendPicture(jobId: string, digest: string) {
  const kept = await store.pictures.get(digest);
  if (kept) await upload(`/jobs/${jobId}/pictures`, { file: new File([kept.body], `${digest}.jpg`) });
}

/** One outbox a job and person, as long as the job is open. */
function useOutboxOf(jobId: string, user: string, take: (saved: PlanAnswer) => void) {
  const client = useQueryClient();
  const [box] = useState(
    () =>
      new Outbox<PlanAnswer>(
        jobId,
        user,
        async ({ id, edits, revision, entries }) => {
          if (!entries)
            return call<PlanAnswer>("PATCH", `/jobs/${jobId}/plan`, { id, edits }, { "If-Match": `"${revision}"` });
          const pictures = entries.flatMap((entry) => entry.attachments);
          for (const digest of pictures) await sendPicture(jobId, digest);
          const taken = await call<Schemas["Taken"]>("POST", `/jobs/${jobId}/book`, { now: here(), entries });
          await store.pictures.bulkDelete(pictures);
          client.setQueryData(["clock"], taken.clock);
          await client.invalidateQueries({ queryKey: ["book", jobId] });
          await client.invalidateQueries({ queryKey: ["close", jobId] });
          return null;
        },
        take,
      ),
  );
  useEffect(() => {
    const online = () => box.wake();
    window.addEventListener("online", online);
    return () => window.removeEventListener("online", online);
  }, [box]);
  const state = useSyncExternalStore(box.subscribe, box.snapshot);
  const clashed = state.entries.some((e) => e.conflicts || e.refused);
  useEffect(() => {
    if (clashed) void client.invalidateQueries({ queryKey: ["plan", jobId] });
  }, [clashed, client, jobId]);
  return useMemo(() => ({ box, state }), [box, state]);
}

/** The prediction of the plan as it stands; one that nobody asked for yet is asked for, and one that was let go while the plan
 * was another for a moment. */
function usePrediction(jobId: string, revision: number | undefined): ProgressDesk {
  const client = useQueryClient();
  const key = useMemo(() => ["prediction", jobId, revision], [jobId, revision]);
  const prediction = useQuery({
    queryKey: key,
    queryFn: () => call<Prediction>("GET", `/jobs/${jobId}/prediction`),
    enabled: revision !== undefined,
    placeholderData: (previous) => previous,
  });
  const run = useCallback(
    async (what: "start" | "stop") => {
      await call("POST", `/jobs/${jobId}/prediction/${what}`);
      await client.invalidateQueries({ queryKey: key });
    },
    [client, jobId, key],
  );
  const unasked = !prediction.isPlaceholderData && ["none", "cancelled"].includes(prediction.data?.state ?? "");
  useEffect(() => {
    if (unasked) run("start").catch(() => undefined); // the next visit asks again
  }, [unasked, run]);
  const { data, isPlaceholderData } = prediction;
  const settled = !!data && !isPlaceholderData && !unasked && !UNDER_WAY.includes(data.state);
  return useMemo(() => ({ prediction: data, settled, run }), [data, settled, run]);
}

interface Latest {
  result: Result | null;
  undetermined: Undetermined | null;
  before: Result | null;
  told: ResultText | null;
  findings: Finding[] | null;
}

const NOTHING: Latest = { result: null, undetermined: null, before: null, told: null, findings: null };

/** How long the figures before may stand while new ones are computed, milliseconds: what is answered sooner does not flicker. */
const BEHIND_MS = 400;

/** Whether something has lasted so long. */
function useLasting(so: boolean, milliseconds: number): boolean {
  const [lasted, setLasted] = useState(false);
  useEffect(() => {
    if (!so) return;
    const later = setTimeout(() => setLasted(true), milliseconds);
    return () => {
      clearTimeout(later);
      setLasted(false);
    };
  }, [so, milliseconds]);
  return so && lasted;
}

/** Keeps the last two finished results, so that the gauges can show where a mark came from. */
function useLatestResults(prediction: Prediction | undefined): Latest {
  const [kept, setKept] = useState<Latest>(NOTHING);
  const next = prediction ? following(kept, prediction) : kept;
  if (next !== kept) setKept(next);
  return next;
}

/** What is shown once an answer has come; the same object where nothing changes. */
export function following(kept: Latest, prediction: Prediction): Latest {
  if (["lacking", "failed"].includes(prediction.state)) {
    if (!kept.result && !kept.undetermined && kept.findings === prediction.findings) return kept;
    return { ...NOTHING, before: kept.result ?? kept.before, findings: prediction.findings };
  }
  if (prediction.state !== "done" || !prediction.result) return kept;
  const fresh = prediction.result;
  const full = "rmse_h" in fresh ? fresh : null;
  const shown = kept.result ?? kept.undetermined;
  if (shown?.hash === fresh.hash && kept.told === prediction.told && kept.findings === prediction.findings) return kept;
  return {
    result: full,
    undetermined: full ? null : fresh,
    before: shown?.hash === fresh.hash ? kept.before : kept.result,
    told: prediction.told,
    findings: prediction.findings,
  };
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
