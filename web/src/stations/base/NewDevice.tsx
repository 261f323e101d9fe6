import { Controller, useForm } from "react-hook-form";
import type { Device } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field, Select } from "../../ui/fields";

const ASK = { id: "", name: "look at it, then choose" };
const CHOICES = {
  point: [
    { id: "mark", name: "the mark (and adds the antenna)" },
    { id: "arp", name: "the reference point (ARP)" },
    { id: "apc", name: "the phase centre (APC)" },
  ],
  height: [
    { id: "ellipsoidal", name: "ellipsoidal" },
    { id: "orthometric", name: "above the job's zero" },
  ],
  position: [
    { id: "degrees", name: "decimal degrees" },
    { id: "dms", name: "degrees, minutes, seconds" },
    { id: "grid", name: "the job's grid, E and N" },
  ],
  unit: [] as { id: string; name: string }[], // the catalogue's
};
const LABELS = {
  point: "It wants the position of",
  height: "It wants the height",
  position: "Position as",
  unit: "Lengths in",
};
type Key = keyof typeof CHOICES;
const FRAMES = [
  { id: "satellites", name: "the satellites’ frame, as receivers have it" },
  { id: "grid", name: "the grid’s own datum, where it says so" },
];

/** What a device wants typed: nothing of it is assumed. */
export function NewDevice({ onTake }: { onTake: (device: Omit<Device, "id">) => void }) {
  const { units } = usePlan().catalogue;
  const { register, handleSubmit, control, watch, formState } = useForm<Record<Key | "name" | "frame", string>>({
    defaultValues: { name: "", point: "", height: "", position: "", unit: "", frame: "satellites" },
  });
  const keys = Object.keys(CHOICES) as Key[];
  const take = handleSubmit(({ name, ...wants }) => onTake({ name: name.trim(), ...wants } as Omit<Device, "id">));
  return (
    <form className="border border-hairline p-2" onSubmit={(event) => void take(event)}>
      <p className="text-sm">
        What is told the base's position: the base itself, a controller, the aircraft's remote. What each wants, its
        screen says; nothing is assumed.
      </p>
      <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1.5">
        <Field label="Device">
          {(id) => (
            <input id={id} className="input w-40" {...register("name", { validate: (text) => text.trim() !== "" })} />
          )}
        </Field>
        {keys.map((key) => (
          <Field key={key} label={LABELS[key]}>
            {(id) => (
              <Controller
                control={control}
                name={key}
                rules={{ required: true }}
                render={({ field: { value, onChange } }) => (
                  <Select
                    id={id}
                    value={value}
                    options={[ASK, ...(key === "unit" ? units : CHOICES[key])]}
                    onChange={onChange}
                  />
                )}
              />
            )}
          </Field>
        ))}
        {["degrees", "dms"].includes(watch("position")) && (
          <Field label="It holds positions in">
            {(id) => (
              <Controller
                control={control}
                name="frame"
                render={({ field: { value, onChange } }) => (
                  <Select id={id} value={value} options={FRAMES} onChange={onChange} />
                )}
              />
            )}
          </Field>
        )}
        <button className="button self-end" disabled={!formState.isValid}>
          make its card
        </button>
      </div>
    </form>
  );
}
