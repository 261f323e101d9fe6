import { useQueryClient } from "@tanstack/react-query";
import { short } from "../lib/differences";
import { useOutbox, usePlan } from "./plan";
import { SignInForm } from "./SignIn";
import { Panel } from "../ui/Panel";

/** Somebody else changed the same field: both values side by side, and nothing lost either way. */
export function ConflictDialog() {
  const { entries, decide } = useOutbox();
  const entry = entries.find((e) => e.conflicts);
  const settle = (keep: "mine" | "theirs") => entry && decide(entry, keep);
  return (
    <Panel open={!!entry} onClose={() => settle("theirs")} title="Somebody else changed this meanwhile">
      <p className="mt-1 text-quiet">Your change has not been saved. Other things you changed are safe.</p>
      <table className="table mt-3">
        <thead>
          <tr>
            <th>field</th>
            <th>theirs, as it stands now</th>
            <th>yours</th>
          </tr>
        </thead>
        <tbody>
          {entry?.conflicts?.map((c) => (
            <tr key={c.path}>
              <td>{c.path.replaceAll("/", ", ")}</td>
              <td className="figures">{short(c.theirs)}</td>
              <td className="figures">{short(c.mine)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-4 flex gap-2">
        <button className="button" onClick={() => settle("theirs")}>
          Keep theirs
        </button>
        <button className="button" onClick={() => settle("mine")}>
          Put mine on top
        </button>
      </div>
    </Panel>
  );
}

/** A step back that somebody else built on, or that cannot be read any more: it can be stepped over. */
export function StuckDialog() {
  const { stuck, unstick, step } = usePlan();
  return (
    <Panel
      open={!!stuck}
      onClose={unstick}
      title={`Your last step cannot be ${stuck?.direction === "redo" ? "redone" : "undone"}`}
    >
      <p className="mt-1">
        <strong>{stuck?.problem.what}</strong>{" "}
        {stuck?.problem.conflicts.length ? "Somebody built on it since." : stuck?.problem.mend}
      </p>
      <ul className="mt-2">
        {stuck?.problem.conflicts.map((c) => (
          <li key={c.path} className="figures text-sm">
            {c.path}: stands at {short(c.theirs)}, would become {short(c.mine)}
          </li>
        ))}
      </ul>
      <div className="mt-4 flex gap-2">
        <button className="button" onClick={unstick}>
          Discard
        </button>
        <button className="button" onClick={() => stuck && void step(stuck.direction, true)}>
          Step over it
        </button>
      </div>
    </Panel>
  );
}

/** The session ran out: sign in again over the open sheet; what was typed waits. */
export function ExpiredDialog() {
  const { expired, wake } = useOutbox();
  const client = useQueryClient();
  return (
    <Panel open={expired} onClose={() => undefined} title="You are not signed in any more">
      <p className="mt-1 text-quiet">What you typed is kept here and goes on once you have signed in again.</p>
      <SignInForm
        onDone={(session) => {
          client.setQueryData(["session"], session);
          wake();
        }}
      />
    </Panel>
  );
}
