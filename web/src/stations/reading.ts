import { useState } from "react";
import { upload, type Problem } from "../api/client";
import { usePlan } from "../app/plan";

/** How the server reads a file or pasted text, shown before anything of it is taken; or what is wrong with it. */
export function useReading<T>(what: "boundary" | "points" | "terrain") {
  const { jobId } = usePlan();
  const [reading, setReading] = useState<T | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);

  async function read(fields: Record<string, string | File>): Promise<T | null> {
    setReading(null);
    setProblem(null);
    try {
      const found = await upload<T>(`/jobs/${jobId}/read/${what}`, fields);
      setReading(found);
      return found;
    } catch (error) {
      setProblem(error as Problem);
      return null;
    }
  }

  return { reading, problem, read, forget: () => setReading(null), clear: () => setProblem(null) };
}
