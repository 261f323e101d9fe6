import type { Remark } from "../api/client";
import { Severity } from "./Severity";

/** What is to be said of something that came from outside, worst first. */
export function Remarks({ of }: { of: Remark[] }) {
  return (
    <ul>
      {of.map((f) => (
        <li key={f.words} className="flex items-start gap-2 border-b border-hairline py-1 text-sm">
          <Severity of={f.severity} />
          <span>
            {f.severity === "stop" ? <strong>{f.words}</strong> : f.words} <span className="text-quiet">{f.mend}</span>
          </span>
        </li>
      ))}
    </ul>
  );
}
