import { useState } from "react";
import { call, type Edit } from "../../api/client";
import { usePlan } from "../../app/plan";
import { volume, volumeFactor, volumeUnit } from "../../lib/units";
import { Field, NumberField, Select } from "../../ui/fields";
import { ProblemNote } from "../../ui/ProblemNote";
import { useDoing } from "../../ui/useDoing";

/** The tolerance of the mean height as people ask for it: so many cubic metres on a heap, or per cent of it. */
export function AllowedVolumes() {
  const { jobId, plan, summary, edit } = usePlan();
  const { unit } = plan.brief;
  const [chosen, choose] = useState("");
  const { doing, problem, clear } = useDoing();
  const volumes = summary?.volumes ?? [];
  const one = volumes.find((v) => v.id === chosen) ?? volumes[0];
  if (!one) return null;
  const allow = async (asked: string) => {
    await doing(async () => {
      await edit(await call<Edit[]>("GET", `/jobs/${jobId}/volume-tolerance?area=${one.id}&${asked}`));
    });
  };
  const areas = plan.site.areas.map(({ id, name }) => ({ id, name }));
  const lies = one.content === null ? "what lies there is not known from the terrain" : "";
  return (
    <>
      <Field label={`Which is, ${volumeUnit(unit)} at 95 %`}>
        {(id) => (
          <span className="flex items-center gap-2">
            <NumberField
              id={id}
              value={one.m3}
              scale={volumeFactor(unit)}
              width="w-20"
              onCommit={(m3) => void allow(`m3=${m3}`)}
            />
            on
            <Select label="Area of the volume" value={one.id} options={areas} onChange={choose} />
          </span>
        )}
      </Field>
      <Field
        label="Or, % of what lies there"
        hint={
          lies || `${volume(one.content, unit, 0)} ${volumeUnit(unit)} by the terrain, over a plane through its edge`
        }
      >
        {(id) =>
          one.percent === null ? (
            <span id={id}>–</span>
          ) : (
            <NumberField
              id={id}
              value={one.percent}
              decimals={2}
              width="w-20"
              onCommit={(percent) => void allow(`percent=${percent}`)}
            />
          )
        }
      </Field>
      {problem && <ProblemNote problem={problem} onClose={clear} />}
    </>
  );
}
