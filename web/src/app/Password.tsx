import { useForm } from "react-hook-form";
import { call, type Session } from "../api/client";
import { Panel } from "../ui/Panel";
import { ProblemNote } from "../ui/ProblemNote";
import { useDoing } from "../ui/useDoing";

/** One's own password, changed; all other sessions of this person end with it. */
export function PasswordDialog({ onClose }: { onClose: () => void }) {
  const { register, handleSubmit, formState } = useForm({
    mode: "onChange",
    defaultValues: { now: "", next: "", again: "" },
  });
  const { doing, problem, busy, clear } = useDoing();
  const change = handleSubmit(async ({ now, next }) => {
    if (await doing(() => call<Session>("POST", "/session/password", { now, next }))) onClose();
  });
  return (
    <Panel open onClose={onClose} title="Your password">
      <form className="mt-2 grid gap-3" onSubmit={(event) => void change(event)}>
        <label className="grid gap-1">
          Password now
          <input
            className="input"
            type="password"
            autoComplete="current-password"
            {...register("now", { required: true })}
          />
        </label>
        <label className="grid gap-1">
          New password, 8 letters or more
          <input
            className="input"
            type="password"
            autoComplete="new-password"
            {...register("next", { required: true, minLength: 8 })}
          />
        </label>
        <label className="grid gap-1">
          New password, once more
          <input
            className="input"
            type="password"
            autoComplete="new-password"
            {...register("again", { validate: (text, { next }) => text === next })}
          />
        </label>
        {formState.errors.again && <p role="alert">The two are not the same.</p>}
        {problem && <ProblemNote problem={problem} onClose={clear} />}
        <p className="text-sm text-quiet">Wherever else you are signed in, you are signed out.</p>
        <button className="button justify-self-start" disabled={!formState.isValid || busy}>
          Change the password
        </button>
      </form>
    </Panel>
  );
}
