import { useQueryClient } from "@tanstack/react-query";
import { askAgain } from "../api/again";
import { call, type Close, type Finding } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { Severity } from "../ui/Severity";
import { useDoing } from "../ui/useDoing";
import { usePlan } from "./plan";

/** Waivers are the closing's: they are formed on its revision, and the findings are told anew once one is taken. */
function useWaiver() {
  const { jobId } = usePlan();
  const client = useQueryClient();
  const { doing, problem, clear } = useDoing();
  const waive = (f: Finding, reason: string) =>
    doing(async () => {
      const { revision } = await call<Close>("GET", `/jobs/${jobId}/close`);
      await call<Close>("POST", `/jobs/${jobId}/close/waiver`, {
        revision,
        rule: f.rule,
        object: f.object,
        words: f.words,
        reason,
      });
      await askAgain(client, ["prediction", jobId]);
      await askAgain(client, ["close", jobId]);
    });
  return { waive, problem, clear };
}

/** Why a finding is accepted, asked for. */
export function Reason({ of: f, onDone }: { of: Finding; onDone: () => void }) {
  const { waive, problem, clear } = useWaiver();
  return (
    <form
      className="mt-1 grid gap-1 pl-5"
      action={async (form) => {
        if (await waive(f, form.get("reason") as string)) onDone();
      }}
    >
      <label className="grid gap-1">
        <span>
          It stands, because{f.waives === "signer" && <span className="text-quiet"> (for those who may sign)</span>}
        </span>
        <input className="input" name="reason" required minLength={3} maxLength={500} autoFocus />
      </label>
      <span>
        <button className="button">accept</button>{" "}
        <button type="button" className="cursor-pointer underline" onClick={onDone}>
          keep it open
        </button>
      </span>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
    </form>
  );
}

/** A finding that is accepted, with its reason; it can be opened again. */
export function Accepted({ of: f }: { of: Finding }) {
  const { waive, problem, clear } = useWaiver();
  return (
    <div className="border-b border-hairline py-1">
      <p>
        <Severity of={f.severity} /> {f.words}
      </p>
      <p className="pl-5 text-quiet">
        Accepted: {f.waived}
        {f.waived_by && ` (${f.waived_by})`}{" "}
        <button className="cursor-pointer underline" onClick={() => void waive(f, "")}>
          open again
        </button>
      </p>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
    </div>
  );
}
