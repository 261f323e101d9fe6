import { useQuery } from "@tanstack/react-query";
import { call, type Session } from "../api/client";

/** Who is signed in, and what the organisation has chosen for everybody. */
export function useSession() {
  return useQuery({
    queryKey: ["session"],
    queryFn: () => call<Session>("GET", "/session"),
    staleTime: 600_000,
  });
}
