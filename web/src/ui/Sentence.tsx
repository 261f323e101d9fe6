import type { ReactNode } from "react";

/** What came out of something, in a sentence: settled, or wanting a decision. */
export function Sentence({ fine, children }: { fine: boolean; children: ReactNode }) {
  const look = fine ? "border-settled bg-settled-wash" : "border-decision bg-decision-wash";
  return <p className={`mt-1 border-l-4 px-2 py-1 ${look}`}>{children}</p>;
}
