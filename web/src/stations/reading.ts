import { useEffect, useState } from "react";
import { upload, type Problem, type Sent } from "../api/client";
import { usePlan } from "../app/plan";
import { type Carried, useNavigation } from "../app/workbench/navigation";
import type { Station } from "./ids";

/** Where what is carried is read: the station and its view. */
export const STATION_OF: Record<Carried["to"], [Station, string]> = {
  boundary: ["site", "ground"],
  terrain: ["site", "ground"],
  features: ["site", "features"],
  backdrop: ["site", "backdrop"],
  points: ["control", "points"],
  flown: ["flight", "flown"],
};

/** Takes what was carried here, once there is a grid to read it in. */
export function useCarried(to: Carried["to"], take: (fields: Sent) => void) {
  const { carried, carry } = useNavigation();
  const { plan } = usePlan();
  useEffect(() => {
    if (carried?.to !== to || !plan.brief.crs) return;
    carry(null);
    take(carried.fields);
  });
}

/** How the server reads a file or pasted text, shown before anything of it is taken; or what is wrong with it. */
export function useReading<T>(
  what: "boundary" | "points" | "terrain" | "where" | "features" | "risen" | "backdrop" | "flown" | "certificate",
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
      const own = { flown: "flight", certificate: "library" }[what as string] ?? "read";
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
