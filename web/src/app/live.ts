import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { call, type Edit, type Figures, type Finding, type Live } from "../api/client";

export interface LiveDesk {
  /** Provisional figures of what is being tried, until the full computation has its say. */
  live: Figures | null;
  /** What the rules find against the points that are being tried elsewhere. */
  findings: Finding[];
  /** Ask what the figures would be with these edits of the control. Questions overtake each other: while one is under
   * way only the newest waits. */
  ask: (edits: Edit[]) => void;
  /** Have the server make ready, so that the first drag is answered at once. */
  warm: () => void;
  clear: () => void;
}

/** Live answers over one full result (its hash): with the next full result they are gone. */
export function useLive(jobId: string, over: string | undefined): LiveDesk {
  const [told, setTold] = useState<{ figures: Figures; findings: Finding[]; over: string | undefined } | null>(null);
  const underway = useRef(false);
  const newest = useRef<Edit[] | null>(null);
  const base = useRef(over);
  base.current = over;

  // once another result has come, what was tried over the one before is gone, also where an undo brings that back
  useEffect(() => setTold((held) => (held && held.over !== over ? null : held)), [over]);

  const ask = useCallback(
    (edits: Edit[]) => {
      newest.current = edits;
      if (underway.current) return;
      underway.current = true;
      void (async () => {
        try {
          while (newest.current) {
            const asked = newest.current;
            const at = base.current;
            newest.current = null;
            const answer = await call<Live>("POST", `/jobs/${jobId}/live`, { edits: asked });
            if (answer.state === "ready" && answer.result)
              setTold({ figures: answer.result, findings: answer.findings ?? [], over: at });
          }
        } catch {
          newest.current = null; // a live answer is a courtesy; the full computation reports what is wrong
        } finally {
          underway.current = false;
        }
      })();
    },
    [jobId],
  );
  const warm = useCallback(() => {
    call<Live>("POST", `/jobs/${jobId}/live`, { edits: [] }).catch(() => undefined);
  }, [jobId]);
  const clear = useCallback(() => {
    newest.current = null;
    setTold(null);
  }, []);
  const held = told && told.over === over ? told : null;
  return useMemo(
    () => ({ live: held?.figures ?? null, findings: held?.findings ?? [], ask, warm, clear }),
    [held, ask, warm, clear],
  );
}
