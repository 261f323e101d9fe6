import { useState } from "react";
import { upload, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { CommitField, Field } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import type { CloseViewProps } from "./CloseTray";
import { useDoing } from "../../ui/useDoing";

/** Findings waived and why, the report, and who signs for what. */
export function ReportView({ close, steps }: CloseViewProps) {
  const { jobId } = usePlan();
  const ready = close.state === "done" && !!close.verdict;
  return (
    <div className="grid grid-cols-[repeat(auto-fit,minmax(min(100%,340px),1fr))] gap-x-8 gap-y-3">
      <section aria-label="Report">
        {close.frozen ? null : ready ? (
          <p className="flex flex-wrap gap-2">
            <a className="button" href={`/api/jobs/${jobId}/close/report.pdf`}>
              draft, PDF
            </a>
            <a className="button" href={`/api/jobs/${jobId}/close/report.html`}>
              draft, HTML
            </a>
          </p>
        ) : (
          <p>There is nothing to report yet: residuals first, and what was done computed.</p>
        )}
        {!close.frozen && ready && <Sign close={close} steps={steps} />}
        {close.frozen && close.may_sign && <Reopen close={close} steps={steps} />}
        <Reports close={close} />
        <Check />
      </section>
      <section aria-label="Findings in what was done">
        <h3 className="font-bold">Findings in what was done</h3>
        {!close.findings.length && <p className="text-quiet">None.</p>}
        {close.findings.map((finding) => (
          <div key={finding.rule + finding.object + finding.words} className="border-b border-hairline py-1 text-sm">
            <p>
              <span className={finding.severity === "note" ? "text-quiet" : "text-decision"} aria-hidden>
                {finding.severity === "note" ? "◇" : "◆"}
              </span>{" "}
              <span className="sr-only">{finding.severity}: </span>
              {finding.severity === "stop" ? <strong>{finding.words}</strong> : finding.words}{" "}
              <span className="text-quiet">{finding.mend}</span>
            </p>
            {close.frozen ? (
              <p>{finding.waived ? `Waived: ${finding.waived}` : "Open."}</p>
            ) : (
              <Field label="Accepted, because">
                {(id) => (
                  <CommitField
                    id={id}
                    width="w-full"
                    placeholder="open"
                    text={finding.waived}
                    read={(reason) => () =>
                      void steps.step("waiver", {
                        revision: close.revision,
                        rule: finding.rule,
                        object: finding.object,
                        words: finding.words,
                        reason,
                      })
                    }
                  />
                )}
              </Field>
            )}
          </div>
        ))}
      </section>
    </div>
  );
}

function Sign({ close, steps }: CloseViewProps) {
  const [certified, setCertified] = useState("");
  if (!close.may_sign)
    return <p className="mt-2 text-sm">You may not sign for this organisation; a member who may signs here.</p>;
  return (
    <div className="mt-2">
      <Field
        label="What you certify, in your own words"
        hint="Plan, book and closing are frozen as they are now. Kardo computes and does not certify: you do, as far as local law and your licence let you."
      >
        {(id) => (
          <textarea
            id={id}
            className="input h-20 w-full"
            value={certified}
            onChange={(event) => setCertified(event.target.value)}
          />
        )}
      </Field>
      <button
        className="button mt-1"
        disabled={steps.busy || !certified.trim()}
        onClick={() => void steps.step("sign", { certified }).then((done) => done && setCertified(""))}
      >
        {steps.busy ? "Signing…" : "Sign and freeze"}
      </button>
    </div>
  );
}

function Reopen({ steps }: CloseViewProps) {
  const [reason, setReason] = useState("");
  return (
    <details className="mt-2">
      <summary className="cursor-pointer">Open the job again</summary>
      <p className="text-sm">The signed report stays as it is, with who opened the job again and why.</p>
      <div className="flex gap-2">
        <input
          className="input min-w-0 flex-1"
          aria-label="Why it is opened again"
          placeholder="why"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        <button
          className="button"
          disabled={steps.busy || reason.trim().length < 3}
          onClick={() => void steps.step("reopen", { reason })}
        >
          open again
        </button>
      </div>
    </details>
  );
}

function Reports({ close }: { close: CloseViewProps["close"] }) {
  const { jobId } = usePlan();
  return (
    <ul className="mt-2" data-testid="reports">
      {close.reports.map((report) => (
        <li key={report.id} className="border-t border-hairline py-1">
          <p>
            Signed {report.at.slice(0, 16).replace("T", " ")} UTC by <strong>{report.by}</strong>, revision{" "}
            {report.revision}: “{report.certified}”
          </p>
          {report.reopened && <p className="text-sm text-decision-text">{report.reopened}</p>}
          <p className="flex flex-wrap items-center gap-2 text-sm">
            {(["pdf", "html"] as const).map((kind) => (
              <a key={kind} className="button" href={`/api/jobs/${jobId}/close/reports/${report.id}.${kind}`}>
                {kind.toUpperCase()}
              </a>
            ))}
            <span>
              key <span className="figures">{report.fingerprint}</span>
            </span>
          </p>
        </li>
      ))}
    </ul>
  );
}

/** Whether a report that somebody holds was altered. */
function Check() {
  const [found, setFound] = useState<Schemas["Checked"] | null>(null);
  const { doing, problem, clear } = useDoing();
  async function check(file: File) {
    setFound(null);
    await doing(async () => {
      setFound(await upload<Schemas["Checked"]>("/verify", { file }));
    });
  }
  return (
    <details className="mt-3">
      <summary className="cursor-pointer">Check a report that somebody holds</summary>
      <FileInput
        className="mt-1"
        label="A signed report, PDF or HTML"
        words="its PDF or HTML…"
        reads="report"
        onFile={(file) => void check(file)}
      />
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {found && (
        <p role="status" className="mt-1">
          <strong className="text-settled">● Not altered.</strong> {found.title}, revision {found.revision}, signed by{" "}
          {found.signed}: “{found.certified}”. Key <span className="figures">{found.fingerprint}</span>,{" "}
          {found.own ? "this organisation's own." : "not this organisation's: compare it with what its owner says."}
        </p>
      )}
    </details>
  );
}
