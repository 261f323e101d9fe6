import type Polygon from "ol/geom/Polygon";
import Draw from "ol/interaction/Draw";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import { useEffect } from "react";
import type { Drawing, ToolContext } from "../drawing";
import { newArea, newBoundary } from "../placing";

/** An area, or as long as there is none the boundary, is drawn corner by corner; a click on the first corner, or a double click, closes it. */
export function useArea(drawing: Drawing | null, { placing, plan, edit, setPlacing, colours }: ToolContext) {
  useEffect(() => {
    if (!drawing || placing !== "area") return;
    const stroke = new Stroke({ color: colours.decision!, width: 1.8, lineDash: [4, 3] });
    const corner = new CircleStyle({ radius: 4, fill: new Fill({ color: colours.sheet! }), stroke });
    const draw = new Draw({ type: "Polygon", stopClick: true, style: new Style({ stroke, image: corner }) });
    draw.on("drawend", (event) => {
      const ring = (event.feature.getGeometry() as Polygon).getCoordinates()[0]!.slice(0, -1) as [number, number][];
      void edit(plan.site.boundary.length ? [newArea(plan, ring)] : newBoundary(plan, ring));
      setPlacing(null);
    });
    drawing.map.addInteraction(draw);
    return () => void drawing.map.removeInteraction(draw);
  }, [drawing, placing, plan, edit, setPlacing, colours]);
}
