import type { FormEvent } from "react";
import { call, type Session } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { useDoing } from "../ui/useDoing";

export function SignIn({ onDone }: { onDone: (session: Session) => void }) {
  return (
    <main className="mx-auto mt-24 max-w-sm border border-ink bg-sheet p-6">
      <h1 className="text-2xl font-bold text-decision-text">Kardo</h1>
      <p className="mt-1 text-quiet">Plans the control of a drone survey, and says how accurate it will be.</p>
      <SignInForm onDone={onDone} />
    </main>
  );
}

/** Name and password. */
export function SignInForm({ onDone }: { onDone: (session: Session) => void }) {
  const { doing, problem } = useDoing();
  // no form library on the first page: two fields that the browser itself wants filled in
  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    await doing(async () => {
      await call<Session>("GET", "/session"); // brings the token that the form must carry
      const [username, password] = [form.get("username"), form.get("password")];
      onDone(await call<Session>("POST", "/session", { username, password }));
    });
  }
  return (
    <form onSubmit={(event) => void submit(event)} className="mt-5 grid gap-3">
      <label className="grid gap-1">
        Name
        <input className="input" name="username" autoComplete="username" autoFocus required />
      </label>
      <label className="grid gap-1">
        Password
        <input className="input" name="password" type="password" autoComplete="current-password" required />
      </label>
      {problem && <ProblemNote problem={problem} />}
      <button className="button justify-self-start">Sign in</button>
    </form>
  );
}
