import { useState } from "react";
import { upload, type Schemas } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field, LengthField, Select, TextField, unitName } from "../../ui/fields";
import { FileInput } from "../../ui/FileInput";
import { ProblemNote } from "../../ui/ProblemNote";
import { useDoing } from "../../ui/useDoing";

type Model = Schemas["AntennaModel"];
export interface Figures {
  name: string;
  disc_radius: number;
  edge_above_arp: number;
  apc_above_arp: number;
}

/** An antenna that the library has not: its figures typed, or its phase centre taken from an ANTEX file. */
export function NewAntenna({ onTake }: { onTake: (antenna: Figures) => void }) {
  const { jobId, plan } = usePlan();
  const { unit } = plan.brief;
  const [typed, setTyped] = useState<{ [K in keyof Figures]: Figures[K] | null }>({
    name: "",
    disc_radius: 0,
    edge_above_arp: 0,
    apc_above_arp: null,
  });
  const [query, setQuery] = useState("");
  const [models, setModels] = useState<Model[] | null>(null);
  const [chosen, choose] = useState("");
  const { doing, problem, clear } = useDoing();
  const set = (change: Partial<typeof typed>) => setTyped({ ...typed, ...change });
  const read = async (file: File) => {
    await doing(async () => {
      setModels(await upload<Model[]>(`/jobs/${jobId}/antennas/read`, { file, query }));
    });
  };
  const pick = (key: string) => {
    choose(key);
    const model = models?.[Number(key)];
    if (!model) return;
    set({ name: `${model.type} ${model.serial}`.trim(), apc_above_arp: model.apc_above_arp });
  };
  const lengths = [
    ["apc_above_arp", "Phase centre over the ARP"],
    ["disc_radius", "Radius that a slant is read to"],
    ["edge_above_arp", "That edge over the ARP"],
  ] as const;
  return (
    <div className="mt-2 flex flex-wrap items-end gap-3 border border-hairline p-2" data-testid="new-antenna">
      <Field label="Words of its type">
        {(id) => <input id={id} className="input w-32" value={query} onChange={(e) => setQuery(e.target.value)} />}
      </Field>
      <Field label="ANTEX 1.4 file">{(id) => <FileInput id={id} onFile={(file) => void read(file)} />}</Field>
      {models && (
        <Field label={`${models.length} found`}>
          {(id) => (
            <Select
              id={id}
              value={chosen}
              options={[
                { id: "", name: "choose" },
                ...models.map((m, k) => ({ id: String(k), name: `${m.type} ${m.serial}`.trim() })),
              ]}
              onChange={pick}
            />
          )}
        </Field>
      )}
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      <Field label="Name">
        {(id) => (
          <TextField id={id} width="w-44" value={typed.name ?? ""} optional onCommit={(name) => set({ name })} />
        )}
      </Field>
      {lengths.map(([key, label]) => (
        <Field key={key} label={`${label}, ${unitName(unit)}`}>
          {(id) => (
            <LengthField
              id={id}
              width="w-24"
              unit={unit}
              decimals={4}
              value={typed[key]}
              optional
              onCommit={(v) => set({ [key]: v })}
            />
          )}
        </Field>
      ))}
      <button
        className="button"
        disabled={!typed.name || Object.values(typed).some((v) => v === null)}
        onClick={() => onTake(typed as Figures)}
      >
        use this antenna
      </button>
      <p className="w-full text-sm text-quiet">
        {models?.[Number(chosen)] && chosen && `The phase centre is that of ${models[Number(chosen)]!.frequency}. `}
        Radius and edge are read off the antenna’s own drawing.
      </p>
    </div>
  );
}
