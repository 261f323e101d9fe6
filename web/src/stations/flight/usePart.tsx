import { usePlan } from "../../app/plan";
import { fieldEdits } from "../../lib/edits";
import { Field, LengthField, NumberField, Select, unitName } from "../../ui/fields";

/** The fields of one part of the plan, at a path: each is typed there, and changes nothing else. */
export function usePart<P extends object>(path: string, part: P) {
  const { plan, edit } = usePlan();
  const { unit } = plan.brief;
  const set = (change: Partial<P>) => void edit(fieldEdits(plan, path, change));
  const number = (label: string, key: keyof P & string, decimals = 0, scale = 1) => (
    <Field label={label}>
      {(id) => (
        <NumberField
          id={id}
          value={part[key] as number}
          decimals={decimals}
          scale={scale}
          onCommit={(value) => set({ [key]: value } as Partial<P>)}
          width="w-20"
        />
      )}
    </Field>
  );
  /** A length; otherwise: what holds as long as none is typed, where none need be. */
  const metres = (label: string, key: keyof P & string, decimals = 1, otherwise?: number | null) => (
    <Field label={`${label}, ${unitName(unit)}`}>
      {(id) => (
        <LengthField
          id={id}
          value={(part[key] as number | null) ?? otherwise ?? null}
          unit={unit}
          decimals={decimals}
          width="w-20"
          optional={otherwise !== undefined}
          quiet={otherwise !== undefined && part[key] === null}
          onCommit={(value) => (value !== null || otherwise !== undefined) && set({ [key]: value } as Partial<P>)}
        />
      )}
    </Field>
  );
  const choice = (label: string, key: keyof P & string, options: { id: string; name: string }[]) => (
    <Field label={label}>
      {(id) => (
        <Select
          id={id}
          value={part[key] as string}
          options={options}
          onChange={(value) => set({ [key]: value } as Partial<P>)}
        />
      )}
    </Field>
  );
  const tick = (label: string, key: keyof P & string) => (
    <label className="flex items-center gap-1 self-end pb-1">
      <input
        type="checkbox"
        checked={part[key] as boolean}
        onChange={(event) => set({ [key]: event.target.checked } as Partial<P>)}
      />{" "}
      {label}
    </label>
  );
  return { set, number, metres, choice, tick };
}
