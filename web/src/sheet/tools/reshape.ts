import type Polygon from "ol/geom/Polygon";
import Modify from "ol/interaction/Modify";
import { useEffect } from "react";
import { fieldEdits } from "../../lib/edits";
import { round, sourceOf, type Drawing, type ToolContext } from "../drawing";

/** Corners of the boundary are dragged while the Site is open. */
export function useReshape(drawing: Drawing | null, { placing, plan, station, edit }: ToolContext) {
  useEffect(() => {
    if (!drawing || station !== "site" || placing) return;
    const modify = new Modify({ source: sourceOf(drawing, "boundary") });
    modify.on("modifyend", () => {
      const polygon = sourceOf(drawing, "boundary").getFeatures()[0]?.getGeometry() as Polygon | undefined;
      if (!polygon) return;
      const corners = polygon.getCoordinates()[0]!.slice(0, -1);
      void edit(fieldEdits(plan, "site", { boundary: corners.map(([e, n]) => [round(e!), round(n!)]) }));
    });
    drawing.map.addInteraction(modify);
    return () => void drawing.map.removeInteraction(modify);
  }, [drawing, station, placing, plan, edit]);
}
