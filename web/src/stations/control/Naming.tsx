import { useState } from "react";
import { call, type Renaming, type NameScheme } from "../../api/client";
import { usePlan } from "../../app/plan";
import { Field, NumberField, Select, TextField } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { useDoing } from "../../ui/useDoing";

const ORDERS: { id: NameScheme["order"]; name: string }[] = [
  { id: "listed", name: "as they are listed" },
  { id: "round", name: "along one round" },
  { id: "west", name: "from the west" },
  { id: "north", name: "from the north" },
];

/** Names by a scheme, so that each says its role: shown before they are given. */
export function Naming({ onDone }: { onDone: () => void }) {
  const { jobId, plan, edit } = usePlan();
  const [scheme, setScheme] = useState<NameScheme>({ target: "G", check: "K", first: 1, digits: 1, order: "round" });
  const [found, setFound] = useState<Renaming | null>(null);
  const { doing, problem, clear } = useDoing();
  const set = (change: Partial<NameScheme>) => {
    setScheme({ ...scheme, ...change });
    setFound(null);
  };
  async function ask() {
    await doing(async () => {
      setFound(await call<Renaming>("POST", `/jobs/${jobId}/control/names`, scheme));
    });
  }
  const names = new Map(plan.control.map((p) => [p.id, p.name]));
  return (
    <div className="mb-2 border border-ink bg-sheet p-2 text-sm" data-testid="naming">
      <div className="flex flex-wrap items-end gap-3">
        <Field label="control points">
          {(id) => (
            <TextField id={id} value={scheme.target ?? "G"} width="w-16" onCommit={(target) => set({ target })} />
          )}
        </Field>
        <Field label="check points">
          {(id) => <TextField id={id} value={scheme.check ?? "K"} width="w-16" onCommit={(check) => set({ check })} />}
        </Field>
        <Field label="first number">
          {(id) => (
            <NumberField
              id={id}
              value={scheme.first ?? 1}
              decimals={0}
              width="w-16"
              onCommit={(v) => set({ first: Math.round(v) })}
            />
          )}
        </Field>
        <Field label="digits">
          {(id) => (
            <NumberField
              id={id}
              value={scheme.digits ?? 1}
              decimals={0}
              width="w-12"
              onCommit={(v) => set({ digits: Math.round(v) })}
            />
          )}
        </Field>
        <Field label="counted">
          {(id) => <Select id={id} value={scheme.order} options={ORDERS} onChange={(order) => set({ order: order })} />}
        </Field>
        <button className="button" onClick={() => void ask()}>
          show the names
        </button>
      </div>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
      {found && (
        <div className="mt-1" role="status">
          <p>
            {found.changed
              ? found.edits
                  .slice(0, 12)
                  .map((e) => `${names.get(e.path.split("/")[1]!)} → ${e.after}`)
                  .join(" · ") + (found.edits.length > 12 ? " …" : "")
              : "Every point is called so already."}
          </p>
          <button
            className="button mt-1"
            disabled={!found.changed}
            onClick={async () => (await edit(found.edits)) && onDone()}
          >
            Name {found.changed} points so
          </button>
        </div>
      )}
    </div>
  );
}
