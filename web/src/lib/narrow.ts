import { useSyncExternalStore } from "react";

const query = "(max-width: 900px)";

/** Whether the screen is a phone's or an upright tablet's: one column, large targets. */
export function useNarrow(): boolean {
  return useSyncExternalStore(
    (changed) => {
      const media = window.matchMedia(query);
      media.addEventListener("change", changed);
      return () => media.removeEventListener("change", changed);
    },
    () => window.matchMedia(query).matches,
  );
}
