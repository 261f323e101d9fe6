import type { Catalogue, Flight, Plan } from "../../api/client";

export type Pattern = Flight["pattern"];
export type PatternOf<K extends Pattern["kind"]> = Extract<Pattern, { kind: K }>;
export type SensorOf<K extends Flight["sensor"]["kind"]> = Extract<Flight["sensor"], { kind: K }>;

/** Whether the map is made of returns, not of images. */
export function scans(plan: Plan): boolean {
  return plan.flights.some((flight) => flight.sensor.kind === "scan");
}

/** What a flight carries, by id. */
export function carried(flight: Flight): string {
  return flight.sensor.kind === "scan" ? flight.sensor.scanner : flight.sensor.camera;
}

/** A pattern of another kind, as a new one begins; what the old one says too is taken along. */
export function patternAs<K extends Pattern["kind"]>(old: Pattern, kind: K, catalogue: Catalogue): PatternOf<K> {
  const own = old as Record<string, unknown>;
  const fresh = Object.entries(catalogue.flight_parts[kind]);
  return Object.fromEntries(
    fresh.map(([key, value]) => [key, key in own && key !== "kind" ? own[key] : value]),
  ) as PatternOf<K>;
}
