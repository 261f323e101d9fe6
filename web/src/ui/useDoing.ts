import { useMutation } from "@tanstack/react-query";
import type { Problem } from "../api/client";

/** Work that may fail: what does it (and tells whether it was done), whether it is under way, what it failed with, and what forgets that. */
export function useDoing() {
  const { mutateAsync, error, isPending, reset } = useMutation<unknown, Problem, () => Promise<unknown>>({
    mutationFn: (work) => work(),
    networkMode: "always", // without signal it fails at once, and says so
  });
  const doing = (work: () => Promise<unknown>) =>
    mutateAsync(work).then(
      () => true,
      () => false,
    );
  return { doing, problem: error, busy: isPending, clear: reset };
}
