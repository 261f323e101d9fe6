import { useEffect, useState, useSyncExternalStore, type RefObject } from "react";

/** A phone has one column with the stations that are worked at outside; a narrow screen (tablet upright, half a screen) a strip of
 * stations along the top and a drawer for the right column; a wide one all five parts. */
const QUERIES = {
  phone: "(max-width: 599px), (max-height: 499px) and (pointer: coarse)",
  narrow: "(max-width: 1099px)",
  tablet: "(max-width: 900px) and (pointer: coarse)",
};

function useMedia(name: keyof typeof QUERIES): boolean {
  return useSyncExternalStore(
    (changed) => {
      const media = window.matchMedia(QUERIES[name]);
      media.addEventListener("change", changed);
      return () => media.removeEventListener("change", changed);
    },
    () => window.matchMedia(QUERIES[name]).matches,
  );
}

export function useWidth(): "phone" | "narrow" | "wide" {
  const phone = useMedia("phone");
  const narrow = useMedia("narrow");
  return phone ? "phone" : narrow ? "narrow" : "wide";
}

/** Whether this is a device that is carried outside: a job opens at the Book there. */
export function useOutside(): boolean {
  const phone = useMedia("phone");
  const tablet = useMedia("tablet");
  return phone || tablet;
}

/** Whether a box is narrower than so many pixels. */
export function useNarrower(box: RefObject<HTMLElement | null>, pixels: number): boolean {
  const [narrower, setNarrower] = useState(false);
  useEffect(() => {
    const sized = new ResizeObserver(([entry]) => setNarrower(entry!.contentRect.width < pixels));
    sized.observe(box.current!);
    return () => sized.disconnect();
  }, [box, pixels]);
  return narrower;
}
