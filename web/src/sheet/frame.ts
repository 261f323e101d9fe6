import type OlMap from "ol/Map";
import { grid, UNITS } from "../lib/units";

const NS = "http://www.w3.org/2000/svg";

/** A plain step of 1, 2 or 5 times a power of ten, at least `least`. */
export function plainStep(least: number): number {
  const power = 10 ** Math.floor(Math.log10(least));
  return [1, 2, 5, 10].map((k) => k * power).find((s) => s >= least)!;
}

/** Pixels of height below which the drawing stands alone: what lies over it has no room. */
const LOW = 128;

/** Half the width of a figure's letter, and the room right of the drawing, pixels. */
const LETTER = 3.4;
const BESIDE = 8;

/** Draws neatline ticks with their eastings and northings, scale bar and north arrow. Outside React: it follows every frame. */
export function drawFrame(svg: SVGSVGElement, map: OlMap, unit: string, box: { left: number; top: number }) {
  const size = map.getSize();
  const view = map.getView();
  const centre = view.getCenter();
  const resolution = view.getResolution();
  if (!size || !centre || !resolution) return;
  const [w, h] = size as [number, number];
  const metres = UNITS[unit]!.metres;
  const step = plainStep((110 * resolution) / metres) * metres;
  const west = centre[0]! - (w / 2) * resolution;
  const north = centre[1]! + (h / 2) * resolution;
  const parts: SVGElement[] = [];
  const line = (x1: number, y1: number, x2: number, y2: number, width = 1.2) =>
    parts.push(element("line", { x1, y1, x2, y2, stroke: "var(--ink)", "stroke-width": width }));
  const text = (x: number, y: number, words: string, more: Record<string, string | number> = {}) =>
    parts.push(element("text", { x, y, fill: "var(--ink)", "font-size": 11, class: "figures", ...more }, words));
  for (let e = Math.ceil(west / step) * step; e <= west + w * resolution; e += step) {
    const x = box.left + (e - west) / resolution;
    line(x, box.top - 5, x, box.top + 5);
    line(x, box.top + h - 5, x, box.top + h + 5);
    const words = grid(e, unit, 0);
    if (x + words.length * LETTER < box.left + w + BESIDE)
      text(x, box.top + h + 17, words, { "text-anchor": "middle" });
    for (let n = Math.ceil((north - h * resolution) / step) * step; n <= north; n += step) {
      const y = box.top + (north - n) / resolution;
      line(x - 4, y, x + 4, y, 0.5);
      line(x, y - 4, x, y + 4, 0.5);
    }
  }
  for (let n = Math.ceil((north - h * resolution) / step) * step; n <= north; n += step) {
    const y = box.top + (north - n) / resolution;
    line(box.left - 5, y, box.left + 5, y);
    line(box.left + w - 5, y, box.left + w + 5, y);
    if (y > box.top + 35 && y < box.top + h - 35)
      text(box.left - 9, y, grid(n, unit, 0), {
        "text-anchor": "middle",
        transform: `rotate(-90 ${box.left - 9} ${y})`,
      });
  }
  if (h >= LOW)
    parts.push(
      ...scaleBar(box.left + 12, box.top + h - 14, resolution, unit),
      ...northArrow(box.left + w - 26, box.top + 14),
    );
  svg.replaceChildren(...parts);
}

function scaleBar(x: number, y: number, resolution: number, unit: string): SVGElement[] {
  const { metres, short } = UNITS[unit]!;
  const length = plainStep((70 * resolution) / metres);
  const w = (length * metres) / resolution;
  const common = { y, height: 5, stroke: "var(--ink)", "stroke-width": 1 };
  return [
    element("rect", { x: x - 6, y: y - 18, width: w + 50, height: 28, fill: "var(--sheet)", opacity: 0.85 }),
    element("rect", { x, width: w / 2, fill: "var(--ink)", ...common }),
    element("rect", { x: x + w / 2, width: w / 2, fill: "var(--sheet)", ...common }),
    element("text", { x, y: y - 5, "font-size": 11, fill: "var(--ink)", class: "figures" }, "0"),
    element(
      "text",
      { x: x + w, y: y - 5, "font-size": 11, fill: "var(--ink)", "text-anchor": "middle", class: "figures" },
      `${length} ${short}`,
    ),
  ];
}

function northArrow(x: number, y: number): SVGElement[] {
  return [
    element("path", { d: `M${x} ${y}l6 20l-6 -4l-6 4z`, fill: "var(--ink)" }),
    element("text", { x, y: y + 32, "font-size": 11, fill: "var(--ink)", "text-anchor": "middle" }, "grid N"),
  ];
}

function element(name: string, attributes: Record<string, string | number>, words?: string): SVGElement {
  const made = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, String(value));
  if (words) made.textContent = words;
  return made;
}
