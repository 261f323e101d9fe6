import { useState } from "react";
import { upload, type Problem, type Sent } from "../api/client";
import { usePlan } from "../app/plan";

/** How the server reads a file or pasted text, shown before anything of it is taken; or what is wrong with it. */
export function useReading<T>(
  what: "boundary" | "points" | "terrain" | "where" | "features" | "risen" | "backdrop" | "flown",
) {
  const { jobId } = usePlan();
  const [reading, setReading] = useState<T | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [asked, setAsked] = useState<Sent>({});

  async function read(fields: Sent): Promise<T | null> {
    setReading(null);
    setProblem(null);
    setAsked(fields);
    try {
      const own = what === "flown" ? "flight" : "read";
      const found = await upload<T>(what === "where" ? "/where" : `/jobs/${jobId}/${own}/${what}`, fields);
      setReading(found);
      return found;
    } catch (error) {
      setProblem(error as Problem);
      return null;
    }
  }

  /** Read the same again as one of the options that it came with. */
  const choose = (key: string) => read({ ...asked, chosen: key });

  return { reading, problem, read, choose, forget: () => setReading(null), clear: () => setProblem(null) };
}
