export type State = "hollow" | "half" | "solid";

const LABELS: Record<State, string> = { solid: "settled", half: "needs attention", hollow: "not begun" };

/** How something stands, by shape as well as colour. */
export function Mark({ state, small }: { state: State; small?: boolean }) {
  const colour = state === "solid" ? "var(--settled)" : state === "half" ? "var(--decision)" : "var(--quiet)";
  return (
    <svg
      viewBox="0 0 20 20"
      className={small ? "inline size-[14px] shrink-0" : "mt-0.5 size-[18px] shrink-0"}
      role="img"
      aria-label={LABELS[state]}
    >
      <circle cx="10" cy="10" r="7" fill="var(--paper)" stroke={colour} strokeWidth="1.8" />
      {state === "solid" && <circle cx="10" cy="10" r="7" fill={colour} />}
      {state === "half" && <path d="M10 3a7 7 0 0 1 0 14z" fill={colour} />}
    </svg>
  );
}
