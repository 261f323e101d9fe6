import type Feature from "ol/Feature";
import type Point from "ol/geom/Point";
import PointerInteraction from "ol/interaction/Pointer";
import { useEffect } from "react";
import type { Edit } from "../../api/client";
import { fieldEdits } from "../../lib/edits";
import { pointAt, round, type Drawing, type ToolContext } from "../drawing";

/** Control is dragged to its place; the figures follow. */
export function useDrag(drawing: Drawing | null, { placing, plan, edit, select, ask, setDraft }: ToolContext) {
  useEffect(() => {
    if (!drawing || placing) return;
    const dragged = { feature: null as Feature<Point> | null, off: [0, 0] as [number, number], moved: false };
    const at = (feature: Feature<Point>) => {
      const [e, n] = feature.getGeometry()!.getCoordinates() as [number, number];
      return { e: round(e), n: round(n) };
    };
    const edits = (feature: Feature<Point>): Edit[] => fieldEdits(plan, String(feature.getId()), at(feature));
    const drag = new PointerInteraction({
      handleDownEvent: (event) => {
        const feature = pointAt(drawing, event.pixel, "control/");
        if (!feature) return false;
        const [e, n] = feature.getGeometry()!.getCoordinates() as [number, number];
        Object.assign(dragged, { feature, off: [e - event.coordinate[0]!, n - event.coordinate[1]!], moved: false });
        select(String(feature.getId()));
        return true;
      },
      handleDragEvent: (event) => {
        const { feature, off } = dragged;
        if (!feature) return;
        dragged.moved = true;
        feature.getGeometry()!.setCoordinates([event.coordinate[0]! + off[0], event.coordinate[1]! + off[1]]);
        ask(edits(feature));
        setDraft({ object: String(feature.getId()), ...at(feature) });
      },
      handleMoveEvent: (event) => {
        drawing.map.getViewport()!.style.cursor = pointAt(drawing, event.pixel, "control/") ? "grab" : "";
      },
      handleUpEvent: () => {
        const { feature, moved } = dragged;
        dragged.feature = null;
        if (feature && moved) void edit(edits(feature));
        setDraft(null);
        return false;
      },
    });
    drawing.map.addInteraction(drag);
    return () => {
      drawing.map.getViewport()!.style.cursor = "";
      drawing.map.removeInteraction(drag);
    };
  }, [drawing, placing, plan, edit, select, ask, setDraft]);
}
