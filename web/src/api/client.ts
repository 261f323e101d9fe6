import type { components } from "./schema";

export type Schemas = components["schemas"];
export type Plan = Schemas["Plan"];
export type PlanAnswer = Schemas["PlanOut"];
export type Brief = Schemas["Brief"];
export type Flight = Schemas["Flight"];
export type SetUp = Schemas["SetUp"];
export type Reading = Schemas["Reading"];
export type Layouts = Schemas["LayoutsAnswer"];
export type Layout = Schemas["Layout"];
export type SiteFeature = Schemas["Feature"];
export type CommonLayout = Schemas["CommonLayout"];
export type Spot = Schemas["Spot"];
export type OwnGeoid = Schemas["GeoidOut"];
export type GeoidTaken = Schemas["GeoidTaken"];
export type Mark = Schemas["Mark"];
export type Network = Schemas["CorrectionService"];
export type ControlPoint = Schemas["ControlPoint"];
export type PositionSource = ControlPoint["positioned_from"];
export type Occupation = ControlPoint["occupations"][number];
export type Visit = Schemas["Visit"];
export type Entry = Schemas["Entry"];
export type Said = Entry["said"];
export type Book = Schemas["BookOut"];
export type Day = Schemas["Day"];
export type Close = Schemas["CloseOut"];
export type Summary = Schemas["Summary"];
export type FlightFigures = Schemas["FlightFigures"];
export type SetUpHeights = Schemas["SetUpHeights"];
export type Prediction = Schemas["PredictionAnswer"];
export type Result = Schemas["Result"];
export type Undetermined = Schemas["Undetermined"];
export type Figures = Schemas["MapFigures"];
export type ResultText = Schemas["ResultText"];
export type Live = Schemas["LiveAnswer"];
export type ObservationPlan = Schemas["ObservationPlan"];
export type Rounds = Schemas["Rounds"];
export type Flown = Schemas["FlownOut"];
export type Camera = Plan["kit"]["cameras"][number];
export type Scanner = Plan["kit"]["scanners"][number];
export type AirTime = Schemas["AirTime"];
export type TakeOffs = Schemas["TakeOffs"];
export type LineProfile = Schemas["LineProfile"];
export type KeptProfile = Schemas["ProfileOut"];
export type Exposure = Schemas["ExposureAdvice"];
export type Coverage = Schemas["CoverageAnswer"];
export type Rounding = Schemas["Round"];
export type StakeOut = Schemas["StakeOut"];
export type Pole = Schemas["Pole"];
export type FeaturesReading = Schemas["FeaturesOut"];
export type BackdropReading = Schemas["BackdropOut"];
export type Airspace = Schemas["AirspaceOut"];
export type Leave = Schemas["Answer"];
export type NameScheme = Schemas["NameScheme"];
export type Renaming = Schemas["RenamingOut"];
export type RuleLine = Schemas["RuleLine"];
export type Rules = Schemas["RulesOut"];
export type Finding = Schemas["Finding"];
export type Advice = Schemas["AdviceAnswer"];
export type Schemes = Schemas["SchemesAnswer"];
export type Scheme = Schemas["Scheme"];
export type Device = Schemas["Device"];
export type Card = Schemas["Card"];
export type SetUpBlunders = Schemas["SetUpBlunders"];
export type Difference = Schemas["Difference"];
export type DaySky = Schemas["DaySky"];
export type Sessions = Schemas["Sessions"];
export type BasePlaces = Schemas["BasePlaces"];
export type BaseLog = Schemas["LogOut"];
export type Remark = Schemas["Remark"];
export type Mount = Schemas["Mount"];
export type NearStation = Schemas["NearStation"];
export type ReceiverHeard = Schemas["ReceiverHeard"];
export type Heard = Schemas["HeardOut"];
export type Offer = Schemas["Offer"];
export type Underway = Schemas["Underway"];
export type Catalogue = Schemas["Catalogue"];
export type Session = Schemas["SessionOut"];
export type JobLine = Schemas["JobLine"];
export type CrsLine = Schemas["CrsInfo"];
export type TerrainDrawing = Schemas["TerrainDrawing"];
export type BoundaryReading = Schemas["BoundaryOut"];
export type WhereReading = Schemas["WhereOut"];
export type PointsReading = Schemas["PointsOut"];
export type TerrainReading = Schemas["TerrainOut"];

/** One change of the plan by field, in the core's grammar: what stood there when it was formed, and what comes after. */
export interface Edit {
  path: string;
  before: unknown;
  after: unknown;
  at?: number | null;
}

/** A field that somebody else changed since. */
export interface Conflict {
  path: string;
  mine: unknown;
  theirs: unknown;
}

/** An error as the server tells it: what, where, how to mend. Status 0: it did not answer. */
/** A place in grid metres and the outline about it. */
export interface SketchedFault {
  spot: [number, number];
  outline: [number, number][];
}

export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly what: string,
    readonly where = "",
    readonly mend = "",
    readonly conflicts: Conflict[] = [],
    /** Where on the sheet it is, and what could not be taken there. */
    readonly drawn: SketchedFault | null = null,
  ) {
    super(what);
  }

  /** Whether the server is away for now, so that asking again later makes sense. */
  get away(): boolean {
    return this.status === 0 || this.status === 500 || (this.status >= 502 && this.status <= 504);
  }

  /** Whether the session has run out. */
  get signedOut(): boolean {
    return this.status === 401 || this.status === 403;
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
    const told = (data ?? {}) as Partial<
      { title: string; where: string; mend: string; conflicts: Conflict[] } & SketchedFault
    >;
    throw new Problem(
      response.status,
      told.title ?? (response.status === 404 ? "This is not here." : `The server answered ${response.status}.`),
      told.where,
      told.mend,
      told.conflicts,
      told.spot && { spot: told.spot, outline: told.outline ?? [] },
    );
  }
  return data as T;
}

export type Sent = Record<string, string | File | File[]>;

export function upload<T>(path: string, fields: Sent): Promise<T> {
  const form = new FormData();
  for (const [key, value] of Object.entries(fields))
    for (const one of Array.isArray(value) ? value : [value]) form.append(key, one);
  return call<T>("POST", path, form);
}

/** Files that were chosen together, as they are sent: the first, and what stands beside it. */
export function chosen(files: FileList | null): { file: File; beside: File[] } | null {
  const [file, ...beside] = [...(files ?? [])];
  return file ? { file, beside } : null;
}
