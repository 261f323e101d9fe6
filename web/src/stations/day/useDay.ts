import { useQuery } from "@tanstack/react-query";
import { call, type Day, type Problem, type Visit } from "../../api/client";
import { usePlan } from "../../app/plan";

/** A visit on the clock, as the server solves it for the plan as it is saved; or why that cannot be. */
export function useDay(visit: Visit | undefined) {
  const { jobId, answer } = usePlan();
  const saved = answer.plan.visits.some((v) => v.id === visit?.id && !!v.date);
  const found = useQuery<Day, Problem>({
    queryKey: ["day", jobId, visit?.id, answer.revision],
    queryFn: () => call<Day>("GET", `/jobs/${jobId}/day/${visit!.id}`),
    enabled: saved,
    placeholderData: (previous) => (previous?.visit === visit?.id ? previous : undefined),
    retry: false,
  });
  const away = !!found.error?.away; // without signal the last answer stands
  return { day: found.error && !away ? undefined : found.data, problem: away ? null : found.error };
}

/** Minutes from midnight as a clock time. */
export function clockOf(minutes: number | null | undefined): string {
  if (minutes === null || minutes === undefined) return "–";
  const whole = Math.round(minutes);
  return `${String(Math.floor(whole / 60)).padStart(2, "0")}:${String(whole % 60).padStart(2, "0")}`;
}
