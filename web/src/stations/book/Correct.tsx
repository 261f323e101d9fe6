import { useForm } from "react-hook-form";
import type { Said } from "../../api/client";
import { usePlan } from "../../app/plan";
import { parseLength } from "../../lib/units";

/** What of an entry can be said otherwise, field by field as it was typed. */
const FIELDS: Partial<Record<Said["kind"], [field: string, label: string][]>> = {
  height: [["typed", "height"]],
  leg: [
    ["images", "images"],
    ["positions", "positions"],
    ["not_fixed", "not fixed, %"],
    ["battery", "battery"],
  ],
  occupation: [
    ["epochs", "epochs"],
    ["state", "fixed, float or code"],
  ],
  note: [["words", "words"]],
  weather: [["words", "words"]],
  incident: [["words", "words"]],
};

export function correctable(said: Said): boolean {
  return said.kind in FIELDS;
}

/** An entry said again, to stand in the place of the one it corrects; the first stays in the book. */
export function Correct({ said, onSay }: { said: Said; onSay: (said: Said) => void }) {
  const { plan } = usePlan();
  const fields = FIELDS[said.kind]!;
  const before = said as unknown as Record<string, string | number>;
  const shown = (field: string) => String(field === "not_fixed" ? 100 * Number(before[field]) : before[field]);
  const { register, handleSubmit, watch } = useForm<Record<string, string>>({
    defaultValues: Object.fromEntries(fields.map(([field]) => [field, shown(field)])),
  });
  const next = saidAgain(said, watch(), plan.brief.unit);
  return (
    <form
      className="flex w-full flex-wrap items-end gap-2 pb-1"
      onSubmit={(event) => void handleSubmit(() => next && onSay(next))(event)}
    >
      {fields.map(([field, label]) => (
        <label key={field} className="grid gap-1 text-sm">
          {label}
          <input className="input figures min-h-[44px] w-28 text-lg" {...register(field)} />
        </label>
      ))}
      <button className="button min-h-[44px] px-3" disabled={!next}>
        this instead
      </button>
    </form>
  );
}

/** The entry with what was typed, or null where that cannot be. */
export function saidAgain(said: Said, typed: Record<string, string>, unit: string): Said | null {
  const count = (text = "") => (/^\d{1,6}$/.test(text.trim()) ? Number(text) : null);
  const text = (field: string) => (typed[field] ?? "").trim();
  switch (said.kind) {
    case "height": {
      const metres = parseLength(text("typed"), unit);
      return metres !== null && metres > 0 && metres <= 10 ? { ...said, typed: text("typed"), metres } : null;
    }
    case "leg": {
      const [images, positions] = [count(typed.images), count(typed.positions)];
      const share = Number(text("not_fixed")) / 100;
      if (images === null || positions === null || !text("not_fixed") || !(share >= 0 && share <= 1)) return null;
      return { ...said, images, positions, not_fixed: share, battery: text("battery").slice(0, 20) };
    }
    case "occupation": {
      const epochs = count(typed.epochs);
      const state = (["fixed", "float", "code"] as const).find((s) => s === text("state").toLowerCase());
      return epochs && epochs <= 100_000 && state ? { ...said, epochs, state } : null;
    }
    case "note":
    case "weather":
    case "incident":
      return text("words") ? { ...said, words: text("words") } : null;
    default:
      return null;
  }
}
