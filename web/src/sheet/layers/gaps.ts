import Feature from "ol/Feature";
import MultiPolygon from "ol/geom/MultiPolygon";
import Point from "ol/geom/Point";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import type { SheetLayer } from "../drawing";

/** Where the ground is not known under site and flights: hatched, with its name. */
export const gaps: SheetLayer = {
  name: "gaps",
  rank: 4.5,
  from: (view) => [view.summary?.gaps, view.colours],
  features: ({ summary, colours }) => {
    const gap = summary?.gaps;
    if (!gap) return [];
    const half = gap.side / 2;
    const cells = gap.cells.map(([e, n]) => [
      [
        [e - half, n - half],
        [e + half, n - half],
        [e + half, n + half],
        [e - half, n + half],
        [e - half, n - half],
      ],
    ]);
    const area = new Feature(new MultiPolygon(cells));
    area.setStyle(new Style({ fill: new Fill({ color: hatch(colours.decision!) }) }));
    const name = new Feature(new Point([gap.e, Math.min(...gap.cells.map(([, n]) => n)) - half]));
    name.setStyle(
      new Style({
        text: new Text({
          text: "ground not known",
          offsetY: 10,
          font: "600 12px 'Atkinson Hyperlegible Next Variable'",
          fill: new Fill({ color: colours.decision! }),
          stroke: new Stroke({ color: colours.sheet!, width: 4 }),
        }),
      }),
    );
    return [area, name];
  },
};

/** Slanting hairlines on nothing, so that what lies under them stays in sight. */
function hatch(colour: string): CanvasPattern {
  const tile = document.createElement("canvas");
  tile.width = tile.height = 8;
  const pen = tile.getContext("2d")!;
  pen.strokeStyle = colour;
  pen.lineWidth = 1;
  for (const at of [-8, 0, 8]) {
    pen.moveTo(at, 8);
    pen.lineTo(at + 8, 0);
  }
  pen.stroke();
  return pen.createPattern(tile, "repeat")!;
}
