import { useState } from "react";
import type { Device } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field, Select, TextField } from "../../ui/fields";

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
  const [name, setName] = useState("");
  const [wants, setWants] = useState<Partial<Record<Key, string>>>({});
  const [frame, setFrame] = useState("satellites");
  const keys = Object.keys(CHOICES) as Key[];
  const whole = name.trim() !== "" && keys.every((key) => wants[key]);
  return (
    <div className="border border-hairline p-2">
      <p className="text-sm">
        What is told the base's position: the base itself, a controller, the aircraft's remote. What each wants, its
        screen says; nothing is assumed.
      </p>
      <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1.5">
        <Field label="Device">{(id) => <TextField id={id} value={name} onCommit={setName} width="w-40" />}</Field>
        {keys.map((key) => (
          <Field key={key} label={LABELS[key]}>
            {(id) => (
              <Select
                id={id}
                value={wants[key] ?? ""}
                options={[ASK, ...(key === "unit" ? units : CHOICES[key])]}
                onChange={(value) => setWants({ ...wants, [key]: value })}
              />
            )}
          </Field>
        ))}
        {(wants.position === "degrees" || wants.position === "dms") && (
          <Field label="It holds positions in">
            {(id) => <Select id={id} value={frame} options={FRAMES} onChange={setFrame} />}
          </Field>
        )}
        <button
          className="button self-end"
          disabled={!whole}
          onClick={() => onTake({ name: name.trim(), ...wants, frame } as Omit<Device, "id">)}
        >
          make its card
        </button>
      </div>
    </div>
  );
}
