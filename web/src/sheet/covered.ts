import { useEffect } from "react";
import type { Extent } from "ol/extent";
import ImageStatic from "ol/source/ImageStatic";
import type { Covered } from "../app/workbench/overlay";
import { fineFactor, fineUnit } from "../lib/units";
import { GRID, type Drawing, type SheetView } from "./drawing";
import { ramp, type Ramp } from "./symbols";

const NONE = 255;
const TITLES = {
  images: "images that see the ground",
  strips: "flight lines that see the ground",
  pixels: "pixel on the ground",
  pulses: "pulses on a m²",
  ground: "returns from the ground on a m²",
};

const factor = (covered: Covered, unit: string) => covered.worth * (covered.title === "pixels" ? fineFactor(unit) : 1);

/** The colours of what covers the sheet, broken where it begins to be good. */
export function rampOfCovered(covered: Covered, unit: string, colours: Record<string, string>): Ramp | null {
  const by = factor(covered, unit);
  const values = [...new Set(covered.cells)].filter((cell) => cell !== NONE).map((cell) => cell * by);
  if (!values.length) return null;
  const pixel = covered.title === "pixels";
  const title = pixel ? `${TITLES.pixels}, ${fineUnit(unit)}` : TITLES[covered.title];
  const words = { title, limitName: pixel ? "limit" : "least", largeIsGood: covered.muchIsGood };
  return ramp(values, pixel ? covered.good * fineFactor(unit) : covered.good, words, colours);
}

/** Draws it as one picture: a pixel a cell, north up. */
export function useCovered(drawing: Drawing | null, { covered, ramp, plan }: SheetView) {
  const { unit } = plan.brief;
  useEffect(() => {
    if (!drawing) return;
    drawing.covered.setSource(
      covered && ramp
        ? new ImageStatic({
            url: picture(covered, ramp, factor(covered, unit)),
            imageExtent: extentOf(covered),
            projection: GRID,
            interpolate: false,
          })
        : null,
    );
  }, [drawing, covered, ramp, unit]);
}

function extentOf({ e0, n0, step, rows, cols }: Covered): Extent {
  return [e0 - step / 2, n0 - step / 2, e0 + (cols - 0.5) * step, n0 + (rows - 0.5) * step];
}

function picture({ cells, rows, cols }: Covered, ramp: Ramp, by: number): string {
  const canvas = document.createElement("canvas");
  canvas.width = cols;
  canvas.height = rows;
  const context = canvas.getContext("2d", { willReadFrequently: true })!;
  const drawn = context.createImageData(cols, rows);
  const inks = new Map<number, [number, number, number]>();
  cells.forEach((cell, k) => {
    if (cell === NONE) return;
    if (!inks.has(cell)) inks.set(cell, rgb(context, ramp.colour(cell * by)));
    const row = rows - 1 - Math.floor(k / cols);
    drawn.data.set([...inks.get(cell)!, 255], 4 * (row * cols + (k % cols)));
  });
  context.putImageData(drawn, 0, 0);
  return canvas.toDataURL();
}

/** A colour as the canvas understands it. */
function rgb(context: CanvasRenderingContext2D, colour: string): [number, number, number] {
  context.fillStyle = colour;
  context.fillRect(0, 0, 1, 1);
  const [r, g, b] = context.getImageData(0, 0, 1, 1).data;
  return [r!, g!, b!];
}
