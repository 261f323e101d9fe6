import { useQuery } from "@tanstack/react-query";
import { call, type BasePlaces, type Problem } from "../../api/client";
import { usePlan } from "../../app/plan";

/** Where the base may stand, ranked, once somebody looks. */
export function useBasePlaces(enabled = true) {
  const { jobId, answer } = usePlan();
  return useQuery<BasePlaces, Problem>({
    queryKey: ["base-places", jobId, answer.revision],
    queryFn: () => call("GET", `/jobs/${jobId}/base-places`),
    enabled,
    staleTime: Infinity,
    placeholderData: (previous) => previous,
  });
}
