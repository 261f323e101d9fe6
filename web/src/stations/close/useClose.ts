import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { call, Problem, type Close } from "../../api/client";
import { usePlan } from "../../app/plan";
import { UNDER_WAY } from "../../ui/UnderWay";

/** The closing and what came of it; asked again while something of it is being computed. */
export function useClose(enabled = true) {
  const { jobId, answer } = usePlan();
  return useQuery({
    queryKey: ["close", jobId, answer.revision],
    queryFn: () => call<Close>("GET", `/jobs/${jobId}/close`),
    enabled,
    placeholderData: (previous: Close | undefined) => previous,
    refetchInterval: (query) => (UNDER_WAY.includes(query.state.data?.state ?? "") ? 1500 : false),
  }).data;
}

/** Steps of the closing: each answers with the closing as it is then, or with what is wrong. */
export function useCloseSteps() {
  const { jobId, answer } = usePlan();
  const client = useQueryClient();
  const [problem, setProblem] = useState<Problem | null>(null);
  const [busy, setBusy] = useState(false);

  async function step(what: string, body: object = {}): Promise<boolean> {
    setProblem(null);
    setBusy(true);
    try {
      const now = await call<Close>("POST", `/jobs/${jobId}/close/${what}`, body);
      client.setQueryData(["close", jobId, answer.revision], now);
      if (what === "sign" || what === "reopen") await client.invalidateQueries({ queryKey: ["plan", jobId] });
      return true;
    } catch (error) {
      setProblem(error instanceof Problem ? error : new Problem(0, String(error)));
      void client.invalidateQueries({ queryKey: ["close", jobId] });
      return false;
    } finally {
      setBusy(false);
    }
  }

  return { step, busy, problem, clear: () => setProblem(null) };
}
