import type { Flight } from "../../api/client";
import { usePlan } from "../../app/plan";
import { added, fieldEdits } from "../../lib/edits";
import { Field, Select } from "../../ui/fields";
import { carried } from "./parts";

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
    const { flight_parts: fresh, scanning } = catalogue;
    const { sensor, pattern } = flight;
    const images = { ...(sensor.kind === "images" ? sensor : fresh.images), camera: id };
    const scan = { ...(sensor.kind === "scan" ? sensor : fresh.scan), scanner: id };
    // images need lines beyond the site, which only cost a scan time
    const sparser = kind === "scanners" && sensor.kind === "images" && "extra_lines" in pattern;
    void edit([
      ...(missing ? [added(`kit/${kind}`, missing)] : []),
      ...fieldEdits(plan, `flights/${flight.id}`, {
        sensor: kind === "cameras" ? images : scan,
        pattern: sparser ? { ...pattern, ...scanning } : pattern,
      }),
    ]);
  };
  const chosen = `${flight.sensor.kind === "scan" ? "scanners" : "cameras"}/${carried(flight)}`;
  return (
    <Field label="Camera or scanner">
      {(id) => <Select id={id} value={chosen} options={options} onChange={take} className="max-w-72" />}
    </Field>
  );
}
