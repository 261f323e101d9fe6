import type { Finding, Plan } from "../api/client";
import type { State } from "../ui/Mark";

/** A view of a station. Where it has a state: what begins it, what to do as long as it is not begun, and the rules whose findings it mends. more: seldom wanted, folded away. */
export interface ViewEntry {
  id: string;
  name: string;
  begun?: (plan: Plan) => boolean;
  todo?: string;
  rules?: readonly string[];
  more?: true;
}

/** How a view stands, and what is next in it; null for one that only shows something. */
export function standing(
  view: ViewEntry,
  plan: Plan,
  findings: readonly Finding[],
): { state: State; next: string } | null {
  const found = findings.find((f) => !f.waived && f.severity !== "note" && view.rules?.includes(f.rule));
  if (found) return { state: "half", next: found.mend };
  if (!view.begun) return null;
  return view.begun(plan) ? { state: "solid", next: "" } : { state: "hollow", next: view.todo ?? "" };
}
