import type LineString from "ol/geom/LineString";
import type Point from "ol/geom/Point";
import type Polygon from "ol/geom/Polygon";
import Draw from "ol/interaction/Draw";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import { useEffect } from "react";
import type { Drawing, ToolContext } from "../drawing";
import { newFeature } from "../placing";

const TYPES = { place: "Point", line: "LineString", area: "Polygon" } as const;

/** Something on the site is drawn: a click for a place; corner by corner a line, which a double click ends, or an area, which that or a click on
 * the first corner closes. */
export function useFeature(drawing: Drawing | null, { placing, drawn, plan, edit, setPlacing, colours }: ToolContext) {
  useEffect(() => {
    if (!drawing || placing !== "feature") return;
    const stroke = new Stroke({ color: colours.decision!, width: 1.8, lineDash: [4, 3] });
    const corner = new CircleStyle({ radius: 4, fill: new Fill({ color: colours.sheet! }), stroke });
    const draw = new Draw({ type: TYPES[drawn.shape], stopClick: true, style: new Style({ stroke, image: corner }) });
    draw.on("drawend", (event) => {
      const geometry = event.feature.getGeometry() as Point | LineString | Polygon;
      const at = geometry.getCoordinates();
      const vertices =
        drawn.shape === "place" ? [at] : drawn.shape === "line" ? at : (at as number[][][])[0]!.slice(0, -1);
      void edit([newFeature(plan, drawn, vertices as [number, number][])]);
      setPlacing(null);
    });
    drawing.map.addInteraction(draw);
    return () => void drawing.map.removeInteraction(draw);
  }, [drawing, placing, drawn, plan, edit, setPlacing, colours]);
}
