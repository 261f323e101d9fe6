import { useSyncExternalStore } from "react";
import { usePlan } from "../../app/plan";

/** What a standard deviation is called where a field has no label of its own. */
export const SIGMA = { sigma_h: "Horizontal σ", sigma_v: "Vertical σ" };

type As = "published" | "sigma";
const KEY = "kardo-accuracy-as";
const listeners = new Set<() => void>();

/** Whether a mark's accuracy is typed as it is published, at 95 %, or as sigmas per axis: one choice for all of them on this device. */
export function useAccuracyAs() {
  const { catalogue } = usePlan();
  const as = useSyncExternalStore(
    (changed) => {
      listeners.add(changed);
      return () => void listeners.delete(changed);
    },
    () => (localStorage.getItem(KEY) as As | null) ?? "sigma",
  );
  const published = as === "published";
  return {
    published,
    words: published ? { h: "95 % circle", v: "95 % height" } : { h: "σ H", v: "σ V" },
    /** What a sigma per axis is times to be what is typed. */
    factor: published ? { h: catalogue.circle_95, v: catalogue.height_95 } : { h: 1, v: 1 },
  };
}

/** The choice itself. */
export function AccuracyAs() {
  const { published } = useAccuracyAs();
  return (
    <select
      className="input text-sm"
      aria-label="Accuracy is typed as"
      value={published ? "published" : "sigma"}
      onChange={(event) => {
        localStorage.setItem(KEY, event.target.value);
        for (const changed of listeners) changed();
      }}
    >
      <option value="published">as published: 95 % circle, 95 % height</option>
      <option value="sigma">sigma per axis</option>
    </select>
  );
}
