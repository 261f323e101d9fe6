import { useState } from "react";
import { useForm } from "react-hook-form";
import { call, type Device, type Difference } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { Sentence } from "../../ui/Sentence";
import { useDoing } from "../../ui/useDoing";

/** What the device shows after it was typed, held against its card. */
export function ReadBack({ setup, device }: { setup: string; device: Device }) {
  const { jobId } = usePlan();
  const { register, handleSubmit, formState } = useForm({ defaultValues: { first: "", second: "", height: "" } });
  const [found, setFound] = useState<Difference | null>(null);
  const { doing, problem, clear } = useDoing();
  const names = device.position === "grid" ? ["E", "N"] : ["latitude", "longitude"];
  const boxes = [
    { key: "first", label: `${names[0]} it shows` },
    { key: "second", label: `${names[1]} it shows` },
    { key: "height", label: "height it shows" },
  ] as const;
  const ask = handleSubmit(async (shown) => {
    setFound(null);
    await doing(async () => {
      setFound(await call<Difference>("POST", `/jobs/${jobId}/card/${setup}/${device.id}/read-back`, shown));
    });
  });
  return (
    <form className="mt-2 border border-hairline p-2" onSubmit={(event) => void ask(event)} data-testid="read-back">
      <p className="text-sm text-quiet">Read back from the device, or from what it broadcasts:</p>
      <div className="flex flex-wrap items-end gap-2">
        {boxes.map(({ key, label }) => (
          <Field key={key} label={label}>
            {(id) => (
              <input id={id} className="input figures w-32" {...register(key, { validate: (text) => !!text.trim() })} />
            )}
          </Field>
        ))}
        <button className="button" disabled={!formState.isValid}>
          hold against the card
        </button>
      </div>
      {found && (
        <div role="status">
          <Sentence fine={found.as_planned}>{found.words}</Sentence>
        </div>
      )}
      {problem && <ProblemNote problem={problem} onClose={clear} />}
    </form>
  );
}
