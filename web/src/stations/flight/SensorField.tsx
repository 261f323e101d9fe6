import type { Flight } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits } from "../../lib/edits";
import { Field, Select } from "../../ui/fields";

/** What the flight carries: a camera or a scanner, of the plan's kit, or taken into it from the library. */
export function SensorField({ flight }: { flight: Flight }) {
  const { plan, catalogue, edit } = usePlan();
  const shelves = (["cameras", "scanners"] as const).map((kind) => {
    const own = plan.kit[kind] as { id: string; name: string }[];
    const more = (catalogue[kind] as { id: string; name: string }[]).filter((s) => !own.some((o) => o.id === s.id));
    return { kind, own, more };
  });
  const options = shelves.flatMap(({ kind, own, more }) =>
    [...own, ...more].map(({ id, name }) => ({ id: `${kind}/${id}`, name })),
  );
  const take = (chosen: string) => {
    const [kind, id] = chosen.split("/") as ["cameras" | "scanners", string];
    const { more } = shelves.find((s) => s.kind === kind)!;
    const missing = more.find((s) => s.id === id);
    const carries = kind === "cameras" ? { camera: id, scanner: null } : { camera: null, scanner: id };
    const scanned = kind === "scanners" && !flight.scanner ? catalogue.scanning : {};
    void edit([
      ...(missing ? [added(`kit/${kind}`, missing)] : []),
      ...fieldEdits(plan, `flights/${flight.id}`, { ...carries, ...scanned }),
    ]);
  };
  const chosen = flight.scanner ? `scanners/${flight.scanner}` : `cameras/${flight.camera}`;
  return (
    <Field label="Camera or scanner">
      {(id) => <Select id={id} value={chosen} options={options} onChange={take} className="max-w-72" />}
    </Field>
  );
}
