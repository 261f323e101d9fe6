import type { Schemas } from "../api/client";

type Table = Schemas["SlantTable"];

/** A vertical height read between the lines of the server's table of slants; null beyond it. */
export function verticalFrom(slant: number, table: Table | undefined): number | null {
  if (!table) return null;
  const at = (slant - table.first) / table.step;
  const k = Math.min(Math.floor(at), table.vertical.length - 2);
  if (at < 0 || at > table.vertical.length - 1 || k < 0) return null;
  const [below, above] = [table.vertical[k]!, table.vertical[k + 1]!];
  return below + (at - k) * (above - below);
}
