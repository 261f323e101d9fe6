import Feature from "ol/Feature";
import MultiPoint from "ol/geom/MultiPoint";
import Point from "ol/geom/Point";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import type { SheetLayer } from "../drawing";
import { cross } from "../symbols";

const NUMBERED = 5; // places that carry their number
const SMALLEST = 2.5;
const LARGEST = 8; // pixels

/** Places for the base, the larger the ring the better, and crosses where none may stand, while they are looked at. */
export const basePlaces: SheetLayer = {
  name: "base places",
  rank: 7.2,
  still: true,
  from: (view) => [view.basePlaces, view.colours],
  features: ({ basePlaces, colours }) => {
    if (!basePlaces) return [];
    const { ranked, left_out } = basePlaces;
    const least = Math.min(...ranked.map((one) => one.score));
    const spread = Math.max(1e-3, 1 - least);
    const crosses = new Feature(new MultiPoint(left_out.map(([e, n]) => [e, n])));
    crosses.setStyle(new Style({ image: cross(colours.quiet!, 4, 1.2) }));
    const rings = ranked.map((one, k) => {
      const ring = new Feature(new Point([one.e, one.n]));
      const numbered = k < NUMBERED;
      ring.setStyle(
        new Style({
          image: new CircleStyle({
            radius: numbered ? LARGEST + 2 : SMALLEST + (LARGEST - SMALLEST) * ((one.score - least) / spread) ** 2,
            fill: new Fill({ color: numbered ? colours.settled! : colours.sheet! }),
            stroke: new Stroke({ color: colours.settled!, width: 1.6 }),
          }),
          text: numbered
            ? new Text({
                text: String(k + 1),
                font: "600 12px 'Atkinson Hyperlegible Mono Variable', monospace",
                fill: new Fill({ color: colours.sheet! }),
              })
            : undefined,
          zIndex: numbered ? NUMBERED - k : 0,
        }),
      );
      return ring;
    });
    return [crosses, ...rings];
  },
};
