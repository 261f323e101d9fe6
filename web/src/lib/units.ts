/** Units and number formatting for instant echo; the same cases are tested against the server's reader. */

export interface Unit {
  id: string;
  short: string;
  metres: number;
}

export const UNITS: Record<string, Unit> = {
  m: { id: "m", short: "m", metres: 1 },
  ft: { id: "ft", short: "ft", metres: 0.3048 },
  "us-ft": { id: "us-ft", short: "ftUS", metres: 1200 / 3937 },
  "ind-ft": { id: "ind-ft", short: "ftInd", metres: 0.30479841 },
};

const SUFFIX: Record<string, number> = {
  mm: 0.001,
  cm: 0.01,
  m: 1,
  km: 1000,
  in: 0.0254,
  '"': 0.0254,
  "'": 0.3048,
  ft: 0.3048,
  ftus: 1200 / 3937,
  ftind: 0.30479841,
};

const PART =
  /\s*(?:(\d+)\s+(?=\d+\/))?(?:(\d+)\/([1-9]\d*)|(\d*\.?\d+|\d+\.))\s*(mm|cm|km|m|in|ftus|ftind|ft|'|"|)\s*/y;

/** Metres from a typed length such as 1.834 m, 183.4cm or 6' 0 1/4"; a bare number is in the job's unit. */
export function parseLength(text: string, unit = "m"): number | null {
  const typed = text.trim().toLowerCase().replaceAll(",", ".").replaceAll("″", '"').replaceAll("′", "'");
  const clean = typed.replace(/^[+-]/, "");
  let total = 0;
  let at = 0;
  let seen = false;
  while (at < clean.length) {
    PART.lastIndex = at;
    const part = PART.exec(clean);
    if (!part) return null;
    const [, whole, num, den, decimal, suffix] = part;
    const end = PART.lastIndex;
    if (!suffix && (seen || end < clean.length)) return null;
    const value = Number(whole ?? 0) + (num ? Number(num) / Number(den) : Number(decimal));
    total += value * (suffix ? SUFFIX[suffix]! : UNITS[unit]!.metres);
    at = end;
    seen = true;
  }
  return seen ? (typed.startsWith("-") ? -total : total) : null;
}

/** A length in the job's unit with its decimals. */
export function length(metres: number | null | undefined, unit: string, decimals = 3): string {
  if (metres === null || metres === undefined || !Number.isFinite(metres)) return "–";
  return (metres / UNITS[unit]!.metres).toFixed(decimals);
}

/** What speeds are told in: metres a second, or feet a second in a job in feet, and how many of those are a metre a second. */
export function speedUnit(unit: string): { name: string; scale: number } {
  return unit === "m" ? { name: "m/s", scale: 1 } : { name: "ft/s", scale: 1 / UNITS.ft!.metres };
}

/** A grid coordinate with thin groups of thousands. */
export function grid(metres: number, unit: string, decimals = 1): string {
  const [whole, rest] = length(metres, unit, decimals).split(".");
  const grouped = whole!.replace(/\B(?=(\d{3})+$)/g, "\u202f");
  return rest ? `${grouped}.${rest}` : grouped;
}

/** What small lengths are shown in: millimetres, or in a job in feet feet to the thousandth. */
export function fineUnit(unit: string): string {
  return unit === "m" ? "mm" : UNITS[unit]!.short;
}

/** From metres to what small lengths are shown in. */
export function fineFactor(unit: string): number {
  return unit === "m" ? 1000 : 1 / UNITS[unit]!.metres;
}

/** A small length in the job's own manner; decimals are those of millimetres. */
export function fine(metres: number | null | undefined, unit: string, decimals = 1): string {
  if (metres === null || metres === undefined || !Number.isFinite(metres)) return "–";
  return (metres * fineFactor(unit)).toFixed(unit === "m" ? decimals : 3);
}

/** Millimetres with one decimal. */
export function mm(metres: number | null | undefined, decimals = 1): string {
  return metres === null || metres === undefined ? "–" : (metres * 1000).toFixed(decimals);
}

export function percent(share: number, decimals = 0): string {
  return `${(share * 100).toFixed(decimals)} %`;
}

/** A simulated chance is never quite certain. */
export function chance(share: number): string {
  return share > 0.99 ? "> 99 %" : share < 0.01 ? "< 1 %" : percent(share);
}

/** A sentence in which no figure is parted from its unit at the end of a line. */
export function unbroken(words: string): string {
  return words.replace(/(\d) (?=%|(?:mm|cm|m|ft|ftUS|min|ha|ppm)(?!\w))/g, "$1\u00a0");
}

const SMALL_AREA = 1000;

/** Area in hectares, or acres where the job is in feet; a small one in square metres or feet. */
export function area(squareMetres: number, unit: string): string {
  if (squareMetres > 0 && squareMetres < SMALL_AREA)
    return `${(squareMetres / UNITS[unit]!.metres ** 2).toFixed(0)} ${UNITS[unit]!.short}²`;
  return unit === "m"
    ? `${(squareMetres / 10_000).toFixed(1)} ha`
    : `${(squareMetres / 4046.8564224).toFixed(1)} acres`;
}

/** The unit of a heap's surface: square metres, or square feet. */
export function surfaceUnit(unit: string): string {
  return unit === "m" ? "m²" : `${UNITS[unit]!.short}²`;
}

export function surface(squareMetres: number | null | undefined, unit: string): string {
  if (squareMetres === null || squareMetres === undefined) return "–";
  return (squareMetres / UNITS[unit]!.metres ** 2).toFixed(0);
}

/** The unit of a heap's volume: cubic metres, or cubic yards where the job is in feet. */
export function volumeUnit(unit: string): string {
  return unit === "m" ? "m³" : "yd³";
}

export function volume(cubicMetres: number | null | undefined, unit: string, decimals = 1): string {
  if (cubicMetres === null || cubicMetres === undefined) return "–";
  return (cubicMetres * volumeFactor(unit)).toFixed(decimals);
}

/** Per cent of what lies there, to two figures. */
export function ofHeap(value: number | null | undefined): string {
  return value === null || value === undefined ? "–" : value >= 10 ? value.toFixed(0) : value.toPrecision(2);
}

/** How many of the unit of a heap's volume a cubic metre is. */
export function volumeFactor(unit: string): number {
  return unit === "m" ? 1 : 1 / (3 * UNITS[unit]!.metres) ** 3;
}

export function clock(iso: string): string {
  return new Date(iso).toLocaleTimeString("en-GB");
}

/** An angle in degrees, minutes and whole seconds, carried at 60. */
export function degrees(value: number | null | undefined): string {
  if (value === null || value === undefined) return "–";
  const total = Math.round(Math.abs(value) * 3600);
  const two = (figure: number) => `${figure}`.padStart(2, "0");
  const [d, m, s] = [Math.floor(total / 3600), Math.floor(total / 60) % 60, total % 60];
  return `${value < 0 ? "-" : ""}${d}°${two(m)}'${two(s)}"`;
}

/** So many of something: "1 target", "2 targets". */
export function counted(count: number, what: string): string {
  return `${count} ${what}${count === 1 ? "" : "s"}`;
}
