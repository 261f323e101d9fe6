import { useQuery } from "@tanstack/react-query";
import { call, type Session } from "../api/client";

type Right = Session["rights"][number];

/** Whether whoever is signed in may do what needs a right; the server asks again. */
export function useMay(right: Right): boolean {
  return useSession().data?.rights.includes(right) ?? false;
}

/** Who is signed in, and what the organisation has chosen for everybody. */
export function useSession() {
  return useQuery({
    queryKey: ["session"],
    queryFn: () => call<Session>("GET", "/session"),
    staleTime: 600_000,
  });
}
