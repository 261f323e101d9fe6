import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { askAgain } from "../api/again";
import { call, type PlanAnswer, type Prediction, type Underway } from "../api/client";
import { UNDER_WAY } from "../ui/UnderWay";

const FALLBACK = 2000;
const QUIET = 10_000;
const KINDS = ["prediction", "advice", "schemes", "layouts"] as const;
type Kind = (typeof KINDS)[number];

/** What the server tells of a job by itself: a new revision, and how far its computations are. Where it cannot be listened to,
 * it is asked every two seconds while something is under way; where it says nothing for long of what is, every ten. */
export function useEvents(jobId: string, revision: number | undefined) {
  const client = useQueryClient();
  const at = useRef(revision);
  at.current = revision;

  useEffect(() => {
    let heard = performance.now();
    const refresh = (kind: Kind) => askAgain(client, [kind, jobId]);
    const progress = (kind: Kind, told: Underway) => {
      heard = performance.now();
      const before = client.getQueriesData<Prediction>({ queryKey: [kind, jobId] });
      const further = kind === "layouts" && before.some(([, old]) => old?.stage !== told.stage); // each stage brings layouts
      if (further || !UNDER_WAY.includes(told.state)) return void refresh(kind);
      client.setQueriesData<Prediction>({ queryKey: [kind, jobId] }, (old) =>
        old && old.hash === told.hash && UNDER_WAY.includes(old.state) ? { ...old, ...told } : old,
      );
    };
    const source = new EventSource(`/api/jobs/${jobId}/events`);
    source.addEventListener("plan", (event) => {
      const told = JSON.parse((event as MessageEvent<string>).data) as { revision: number };
      if (told.revision > (at.current ?? 0)) void client.invalidateQueries({ queryKey: ["plan", jobId] });
    });
    for (const kind of KINDS)
      source.addEventListener(kind, (event) =>
        progress(kind, JSON.parse((event as MessageEvent<string>).data) as Underway),
      );
    source.addEventListener("open", () => {
      void refresh("prediction"); // what happened while nobody listened
      void call<PlanAnswer>("GET", `/jobs/${jobId}/plan`).then(
        (answer) => answer.revision > (at.current ?? 0) && client.setQueryData(["plan", jobId], answer),
        () => undefined,
      );
    });
    const timer = setInterval(() => {
      if (source.readyState === EventSource.OPEN && performance.now() - heard < QUIET) return;
      heard = performance.now();
      for (const kind of KINDS) {
        const waiting = client
          .getQueriesData<Prediction>({ queryKey: [kind, jobId] })
          .some(([, data]) => data && UNDER_WAY.includes(data.state));
        if (waiting) void refresh(kind);
      }
    }, FALLBACK);
    return () => {
      source.close();
      clearInterval(timer);
    };
  }, [client, jobId]);
}
