import type { components } from "./schema";

type Schemas = components["schemas"];
export type Plan = Schemas["PlanOutline"];
export type PlanAnswer = Schemas["PlanOut"];
export type Brief = Schemas["Brief"];
export type Flight = Schemas["Flight"];
export type Base = Schemas["Base"];
export type Mark = Schemas["Mark"];
export type ControlPoint = Schemas["ControlPoint"];
export type Summary = Schemas["Summary"];
export type Prediction = Schemas["PredictionShape"];
export type Result = Schemas["Result"];
export type Figures = Schemas["Figures"];
export type Live = Schemas["LiveShape"];
export type Finding = Schemas["FindingShape"];
export type Advice = Schemas["AdviceShape"];
export type Offer = Schemas["Offer"];
export type Underway = Schemas["Underway"];
export type Area = Schemas["Area"];
export type Catalogue = Schemas["Catalogue"];
export type Session = Schemas["SessionOut"];
export type JobLine = Schemas["JobLine"];
export type CrsLine = Schemas["CrsLine"];
export type TerrainDrawing = Schemas["TerrainDrawing"];
export type BoundaryReading = Schemas["BoundaryOut"];
export type PointsReading = Schemas["PointsOut"];
export type TerrainReading = Schemas["TerrainOut"];

/** One change of a plan object; null removes it. */
export interface Change {
  object: string;
  value: Record<string, unknown> | null;
}

/** An error as the server tells it: what, where, how to mend. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly what: string,
    readonly where = "",
    readonly mend = "",
    readonly current: Change[] = [],
  ) {
    super(what);
  }
}

function csrf(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

/** The one way to talk to the server. Throws Problem. */
export async function call<T>(
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = {},
): Promise<T> {
  const form = body instanceof FormData;
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      headers: {
        "X-CSRFToken": csrf(),
        ...(body !== undefined && !form ? { "Content-Type": "application/json" } : {}),
        ...headers,
      },
      body: body === undefined ? undefined : form ? body : JSON.stringify(body),
    });
  } catch {
    throw new Problem(0, "The server does not answer.", "", "What you see is kept; it will be sent when it answers.");
  }
  const text = await response.text();
  let data: unknown = null;
  try {
    data = text ? JSON.parse(text) : null;
  } catch {
    /* not JSON: a proxy's page; the status tells enough */
  }
  if (!response.ok) {
    const told = (data ?? {}) as Partial<{ title: string; where: string; mend: string; current: Change[] }>;
    throw new Problem(
      response.status,
      told.title ?? (response.status === 404 ? "This is not here." : `The server answered ${response.status}.`),
      told.where,
      told.mend,
      told.current,
    );
  }
  return data as T;
}

export function upload<T>(path: string, fields: Record<string, string | File>): Promise<T> {
  const form = new FormData();
  for (const [key, value] of Object.entries(fields)) form.append(key, value);
  return call<T>("POST", path, form);
}
