import { fine, mm } from "../lib/units";

/** A small length in the job's manner; in a job in feet with the millimetres small beside. */
export function Fine({ value, unit, decimals }: { value: number | null | undefined; unit: string; decimals?: number }) {
  const beside = unit !== "m" && value !== null && value !== undefined;
  return (
    <>
      {fine(value, unit, decimals)}
      {beside && " "}
      {beside && <span className="beside text-xs font-normal text-quiet">{mm(value)}&#8239;mm</span>}
    </>
  );
}
