import type Feature from "ol/Feature";
import type Point from "ol/geom/Point";
import Translate from "ol/interaction/Translate";
import { useEffect } from "react";
import type { Edit } from "../../api/client";
import { fieldEdits } from "../../lib/edits";
import { round, type Drawing, type ToolContext } from "../drawing";

/** Control is dragged to its place; the figures follow. */
export function useDrag(drawing: Drawing | null, { placing, plan, edit, select, ask, setDraft }: ToolContext) {
  useEffect(() => {
    if (!drawing || placing) return;
    const drag = new Translate({
      layers: [drawing.layers.get("points")!],
      hitTolerance: 6,
      filter: (f) => String(f.getId()).startsWith("control/"),
    });
    const moved = (feature: Feature): Edit[] => {
      const [e, n] = (feature.getGeometry() as Point).getCoordinates() as [number, number];
      return fieldEdits(plan, String(feature.getId()), { e: round(e), n: round(n) });
    };
    drag.on("translatestart", (event) => select(String(event.features.item(0).getId())));
    drag.on("translating", (event) => {
      const feature = event.features.item(0);
      const [e, n] = (feature.getGeometry() as Point).getCoordinates() as [number, number];
      ask(moved(feature));
      setDraft({ object: String(feature.getId()), e: round(e), n: round(n) });
    });
    drag.on("translateend", (event) => {
      void edit(moved(event.features.item(0)));
      setDraft(null);
    });
    drawing.map.addInteraction(drag);
    return () => void drawing.map.removeInteraction(drag);
  }, [drawing, placing, plan, edit, select, ask, setDraft]);
}
