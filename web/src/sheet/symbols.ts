import Icon from "ol/style/Icon";
import RegularShape from "ol/style/RegularShape";
import Style from "ol/style/Style";
import Stroke from "ol/style/Stroke";

/** The colours in force, read from the theme's tokens. */
export function tokens(): Record<string, string> {
  const style = getComputedStyle(document.documentElement);
  const names = [
    "paper",
    "sheet",
    "ink",
    "quiet",
    "hairline",
    "decision",
    "settled",
    "in-0",
    "in-1",
    "out-0",
    "out-1",
    "contour",
  ];
  return Object.fromEntries(names.map((n) => [n, inFull(style.getPropertyValue(`--${n}`).trim())]));
}

/** A colour with six digits, so that two more say how much shows through: built, "#000000" is "#000", and "#0001f" is no colour but black. */
export function inFull(colour: string): string {
  return colour.replace(/^#([\da-f])([\da-f])([\da-f])$/i, "#$1$1$2$2$3$3");
}

const SIZE = 26;

function canvas(draw: (c: CanvasRenderingContext2D) => void): Icon {
  const ratio = 2;
  const element = document.createElement("canvas");
  element.width = element.height = SIZE * ratio;
  const context = element.getContext("2d")!;
  context.scale(ratio, ratio);
  context.translate(SIZE / 2, SIZE / 2);
  draw(context);
  return new Icon({ img: element, scale: 1 / ratio });
}

function path(c: CanvasRenderingContext2D, points: [number, number][]) {
  c.beginPath();
  points.forEach(([x, y], k) => (k ? c.lineTo(x, y) : c.moveTo(x, y)));
  c.closePath();
}

/** Where an aircraft takes off: a bar on the ground and an arrow up from it. A target: a quartered diamond, as it lies on the ground. A check: a ring with a point. A mark: the surveyor's triangle.
 * A point known in the local grid too: a square with a cross through it. */
const SYMBOLS: Record<string, (c: CanvasRenderingContext2D, t: Record<string, string>) => void> = {
  target: (c, t) => {
    path(c, [[0, -9], [9, 0], [0, 9], [-9, 0]]); // prettier-ignore
    c.fillStyle = t.sheet!;
    c.fill();
    c.strokeStyle = t.ink!;
    c.lineWidth = 1.4;
    c.stroke();
    c.fillStyle = t.ink!;
    for (const s of [1, -1]) {
      path(c, [[0, 0], [0, -9 * s], [9 * s, 0]]); // prettier-ignore
      c.fill();
    }
  },
  check: (c, t) => {
    c.beginPath();
    c.arc(0, 0, 6.5, 0, 7);
    c.fillStyle = t.sheet!;
    c.fill();
    c.strokeStyle = t.settled!;
    c.lineWidth = 2.6;
    c.stroke();
    c.beginPath();
    c.arc(0, 0, 1.6, 0, 7);
    c.fillStyle = t.settled!;
    c.fill();
  },
  local: (c, t) => {
    c.fillStyle = t.sheet!;
    c.fillRect(-5, -5, 10, 10);
    c.strokeStyle = t.ink!;
    c.lineWidth = 1.2;
    c.strokeRect(-5, -5, 10, 10);
    c.beginPath();
    for (const [x, y] of [
      [-8, 0],
      [0, -8],
    ] as const) {
      // prettier-ignore
      c.moveTo(x, y);
      c.lineTo(-x, -y);
    }
    c.stroke();
  },
  pad: (c, t) => {
    for (const [colour, width] of [
      [t.sheet!, 5],
      [t.ink!, 2],
    ] as const) {
      c.strokeStyle = colour;
      c.lineWidth = width;
      c.beginPath();
      c.moveTo(-7, 5);
      c.lineTo(7, 5);
      c.moveTo(0, 5);
      c.lineTo(0, -8);
      c.moveTo(-4, -4);
      c.lineTo(0, -8);
      c.lineTo(4, -4);
      c.stroke();
    }
  },
  mark: (c, t) => {
    path(c, [[0, -9], [9, 7], [-9, 7]]); // prettier-ignore
    c.fillStyle = t.sheet!;
    c.fill();
    c.strokeStyle = t.ink!;
    c.lineWidth = 1.8;
    c.stroke();
    c.beginPath();
    c.arc(0, 1.5, 1.8, 0, 7);
    c.fillStyle = t.ink!;
    c.fill();
  },
};

/** A small oblique cross, its arms so many pixels. */
export function cross(colour: string, arm: number, width: number): RegularShape {
  const stroke = new Stroke({ color: colour, width });
  return new RegularShape({ points: 4, radius: arm, radius2: 0, angle: Math.PI / 4, stroke });
}

const styles = new WeakMap<Record<string, string>, Map<string, Style>>();

/** Style of a point; the chosen one carries a ring in the decision colour. All alike share one: each is a picture of its own. */
export function pointStyle(kind: string, chosen: boolean, t: Record<string, string>): Style {
  const drawn = styles.get(t) ?? new Map<string, Style>();
  styles.set(t, drawn);
  const key = `${kind} ${chosen}`;
  const style = drawn.get(key) ?? new Style({ image: symbol(kind, chosen, t), zIndex: chosen ? 2 : 1 });
  drawn.set(key, style);
  return style;
}

function symbol(kind: string, chosen: boolean, t: Record<string, string>): Icon {
  return canvas((c) => {
    SYMBOLS[kind]!(c, t);
    if (!chosen) return;
    c.beginPath();
    c.arc(0, 0, 11.5, 0, 7);
    c.strokeStyle = t.decision!;
    c.lineWidth = 2;
    c.stroke();
  });
}

function channels(hex: string): number[] {
  return [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16));
}

function mix(a: string, b: string, t: number): string {
  const [x, y] = [channels(a), channels(b)];
  return `rgb(${x.map((v, k) => Math.round(v + (y[k]! - v) * t)).join(" ")})`;
}

export interface Ramp {
  title: string;
  /** Class edges in the layer's own figures, and the colour of each class between two edges. */
  edges: number[];
  colours: string[];
  limit: number;
  limitName: string;
  largeIsGood?: boolean;
  colour: (value: number) => string;
}

/** A ramp of two families that part exactly at the limit. For errors small is good; for images large is. */
export function ramp(
  values: number[],
  limit: number,
  words: { title: string; limitName: string; largeIsGood?: boolean },
  t: Record<string, string>,
): Ramp {
  const low = Math.min(...values);
  const high = Math.max(...values);
  const part = (from: number, to: number, n: number) =>
    Array.from({ length: n }, (_, k) => from + ((to - from) * k) / n);
  const edges =
    limit <= low || limit >= high
      ? [...part(low, high, 5), high]
      : [...part(low, limit, 4), ...part(limit, high, 3), high];
  const good = (value: number) => (words.largeIsGood ? value >= limit : value < limit);
  const colours = edges.slice(0, -1).map((edge) => {
    const same = edges.slice(0, -1).filter((e) => good(e) === good(edge));
    const place = same.length > 1 ? same.indexOf(edge) / (same.length - 1) : 0.5;
    const strength = words.largeIsGood ? 1 - place : place;
    return good(edge) ? mix(t["in-0"]!, t["in-1"]!, strength) : mix(t["out-0"]!, t["out-1"]!, strength);
  });
  return {
    ...words,
    edges,
    colours,
    limit,
    colour: (value) => {
      let k = 0;
      while (k < colours.length - 1 && value >= edges[k + 1]!) k += 1;
      return colours[k]!;
    },
  };
}
