import type { ReactNode } from "react";

/** The head of a tray. */
export function Heading({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
      <h2 className="text-lg font-bold">{title}</h2>
      {children}
    </div>
  );
}
