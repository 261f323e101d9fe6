import {
  createContext,
  useContext,
  useEffect,
  useMemo,
  useState,
  type Dispatch,
  type ReactNode,
  type SetStateAction,
} from "react";
import type { Schemas } from "../api/client";

type Entry = Schemas["EntryOut"];

const Words = createContext<ReadonlyMap<string, Entry>>(new Map());
const Show = createContext<Dispatch<SetStateAction<Entry | null>>>(() => undefined);

/** The trade's words for all that is inside: whatever a label means is told at the foot of the page, over the ribbon, while it is pointed at, in focus or touched. */
export function Glossary({ entries, children }: { entries: Entry[]; children: ReactNode }) {
  const [shown, show] = useState<Entry | null>(null);
  const words = useMemo(
    () => new Map(entries.flatMap((e) => [e.term, ...e.labels].map((label) => [label.toLowerCase(), e] as const))),
    [entries],
  );
  return (
    <Words.Provider value={words}>
      <Show.Provider value={show}>
        {children}
        {shown && (
          <p
            aria-live="polite"
            data-testid="explained"
            className="pointer-events-none fixed inset-x-0 bottom-0 z-40 min-h-[28px] border-t border-ink bg-sheet px-3 py-1 text-sm"
          >
            <strong>{shown.term}</strong>
            {shown.also && ` (${shown.also})`}: {shown.says} <span className="text-quiet">{shown.source}</span>
          </p>
        )}
      </Show.Provider>
    </Words.Provider>
  );
}

/** What makes a label, its unit left aside, tell what it means; null for one that needs no explanation. */
export function useExplained(label: string) {
  const show = useContext(Show);
  const words = useContext(Words);
  const plain = label.toLowerCase();
  const entry = words.get(plain) ?? words.get(plain.split(",")[0]!.trim());
  // what is taken away under the pointer, by a key, is never left
  useEffect(() => () => show((shown) => (shown === entry ? null : shown)), [entry, show]);
  if (!entry) return null;
  const tell = () => show(entry);
  const stop = () => show(null);
  return { onMouseEnter: tell, onMouseLeave: stop, onFocus: tell, onBlur: stop };
}

/** A word of a sentence or of a table's head that tells what it means. */
export function Term({ of, children }: { of: string; children: ReactNode }) {
  const explained = useExplained(of);
  if (!explained) return children;
  return (
    <span role="term" tabIndex={0} className="underline decoration-dotted underline-offset-2" {...explained}>
      {children}
    </span>
  );
}
