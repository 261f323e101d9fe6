const MARKS = { stop: "◆", warn: "◆", note: "◇" } as const;

/** How grave a finding is, by a mark before it. */
export function Severity({ of }: { of: "stop" | "warn" | "note" }) {
  return (
    <span className={of === "note" ? "text-quiet" : "text-decision"} title={of}>
      {MARKS[of]}
      <span className="sr-only">{of}</span>
    </span>
  );
}
