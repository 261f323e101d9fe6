import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { call, type Difference, type Heard, type Mount, type Problem, type Said } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Remarks } from "../../ui/Remarks";
import { Sentence } from "../../ui/Sentence";
import { useDoing } from "../../ui/useDoing";

/** What was heard, for the book. */
export type Say = (said: Extract<Said, { kind: "broadcast" }>) => void;

/** What the base broadcasts through a caster, held against this set-up: before anybody measures by it. */
export function OnAir({ setup, say }: { setup: string; say?: Say }) {
  const { jobId } = usePlan();
  const casters = useQuery<string[], Problem>({
    queryKey: ["casters", jobId],
    queryFn: () => call<string[]>("GET", `/jobs/${jobId}/casters`),
    staleTime: Infinity,
  });
  const { register, handleSubmit, watch, setValue } = useForm({
    defaultValues: { caster: "", user: "", password: "", mount: "" },
  });
  const [mounts, setMounts] = useState<Mount[]>([]);
  const [heard, setHeard] = useState<Heard | null>(null);
  const { doing, problem, busy, clear } = useDoing();
  const asked = { ...watch(), caster: watch("caster") || casters.data?.[0] || "", mount: watch("mount").trim() };
  const ask = <T,>(path: string, body: object, take: (answer: T) => void) => {
    setHeard(null);
    return doing(async () => take(await call<T>("POST", `/jobs/${jobId}/casters/${path}`, { ...asked, ...body })));
  };
  const listen = handleSubmit(() => ask<Heard>("heard", { setup }, setHeard));
  if (casters.data && !casters.data.length)
    return (
      <p className="text-sm text-quiet">
        No caster may be listened to from here: who runs Kardo names them in KARDO_CASTERS.
      </p>
    );
  return (
    <form className="mt-2 border border-hairline p-2" onSubmit={(event) => void listen(event)} data-testid="on-air">
      <h3 className="font-bold">What the base broadcasts</h3>
      <p className="text-sm text-quiet">
        Its position as rovers and aircraft are sent it (RTCM 1005, 1006), held against this set-up. The password is
        used and forgotten.
      </p>
      <div className="flex flex-wrap items-end gap-2">
        <Field label="Caster">
          {(id) => (
            <select id={id} className="input" {...register("caster")}>
              {casters.data?.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Name there">
          {(id) => <input id={id} className="input w-28" autoComplete="off" {...register("user")} />}
        </Field>
        <Field label="Password there">
          {(id) => (
            <input id={id} type="password" className="input w-28" autoComplete="off" {...register("password")} />
          )}
        </Field>
        <Field label="Mount point">
          {(id) => <input id={id} className="input figures w-36" {...register("mount")} />}
        </Field>
        <button
          type="button"
          className="button"
          disabled={!asked.caster || busy}
          onClick={() => void ask<Mount[]>("mounts", {}, setMounts)}
        >
          which are there?
        </button>
        <button className="button" disabled={!asked.mount || busy}>
          listen
        </button>
      </div>
      {mounts.length > 0 && (
        <ul className="mt-1 flex flex-wrap gap-1" aria-label="Mount points">
          {mounts.map((mount) => (
            <li key={mount.name}>
              <button
                type="button"
                className="button text-sm"
                aria-pressed={mount.name === asked.mount}
                title={`${mount.title}, ${mount.format}, ${mount.systems}`}
                onClick={() => setValue("mount", mount.name)}
              >
                {mount.name}
              </button>
            </li>
          ))}
        </ul>
      )}
      {busy && <p role="status">listening, 12 s at most…</p>}
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {heard && <HeardWords heard={heard} />}
      {heard && say && (
        <IntoBook
          said={{ setup, by: "caster", source: asked.mount, difference: heard.held.difference, words: heard.told }}
          say={say}
        />
      )}
    </form>
  );
}

function HeardWords({ heard: { broadcast, held, told } }: { heard: Heard }) {
  const fine = held.remarks.every((r) => r.severity === "note");
  return (
    <div role="status">
      <Sentence fine={fine}>{told}</Sentence>
      <p className="text-sm">
        {broadcast.antenna ? `Antenna ${broadcast.antenna}` : "Antenna not told"}
        {broadcast.receiver && `, receiver ${broadcast.receiver}`};{" "}
        {Object.entries(broadcast.systems ?? {})
          .map(([letter, count]) => `${letter} ${count}`)
          .join(", ") || "no satellites"}
        {broadcast.age != null && `; newest observation ${broadcast.age.toFixed(1)} s old`}.
      </p>
      <Remarks of={held.remarks} />
    </div>
  );
}

/** What was heard, into the book with one press. */
export function IntoBook({
  said: { setup, by, source, difference, words },
  say,
}: {
  said: { setup: string; by: "caster" | "receiver"; source: string; difference: Difference | null; words: string };
  say: Say;
}) {
  if (!difference) return null;
  const { east, north, up, as_planned } = difference;
  return (
    <button
      type="button"
      className="button mt-1 min-h-[44px] px-3"
      onClick={() =>
        say({ kind: "broadcast", setup, by, source: source.slice(0, 60), east, north, up, as_planned, words })
      }
    >
      into the book
    </button>
  );
}
