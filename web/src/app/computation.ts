import { useQuery, useQueryClient } from "@tanstack/react-query";
import { askAgain } from "../api/again";
import { call, type Schemas, type Underway } from "../api/client";
import { usePlan } from "./plan";
import { useDoing } from "../ui/useDoing";

/** A computation of the plan as it stands that runs only when asked for; the server tells how far it is. */
export function useComputation<Answer extends Underway & { error: Schemas["Fault"] | null }>(
  kind: "advice" | "schemes" | "layouts",
) {
  const { jobId, answer } = usePlan();
  const client = useQueryClient();
  const key = [kind, jobId, answer.revision];
  const { data } = useQuery({ queryKey: key, queryFn: () => call<Answer>("GET", `/jobs/${jobId}/${kind}`) });
  const { doing, problem } = useDoing();
  const run = async (what: "start" | "stop") => {
    await doing(async () => {
      await call("POST", `/jobs/${jobId}/${kind}/${what}`);
      await askAgain(client, key);
    });
  };
  const asked = !!data && !["none", "stopped", "lacking"].includes(data.state);
  /** Why it was not begun, or what it ended with. */
  const fault = problem ?? data?.error ?? null;
  return { told: data, asked, run, fault };
}
