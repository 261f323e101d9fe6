import type Feature from "ol/Feature";
import type LineString from "ol/geom/LineString";
import type Point from "ol/geom/Point";
import Polygon from "ol/geom/Polygon";
import { never } from "ol/events/condition";
import type ModifyInteraction from "ol/interaction/Modify";
import type { ModifyEvent } from "ol/interaction/Modify";
import { useEffect } from "react";
import { fieldEdits } from "../../lib/edits";
import { round, sourceOf, type Drawing, type ToolContext } from "../drawing";

type Options = ConstructorParameters<typeof ModifyInteraction>[0];

/** Lets what is drawn be reshaped until it is called; the code for it is fetched when it is first needed. */
function modifying(drawing: Drawing, options: Options, ended: (event: ModifyEvent) => void): () => void {
  let [gone, made] = [false, undefined as ModifyInteraction | undefined];
  void import("ol/interaction/Modify").then(({ default: Modify }) => {
    if (gone) return;
    made = new Modify(options);
    made.on("modifyend", ended);
    drawing.map.addInteraction(made);
  });
  return () => {
    gone = true;
    if (made) drawing.map.removeInteraction(made);
  };
}

/** Ends of strips that somebody drew are dragged while the Flight is open. */
export function useStripEnds(drawing: Drawing | null, { placing, plan, station, edit }: ToolContext) {
  useEffect(() => {
    if (!drawing || station !== "flight" || placing) return;
    const options = { source: sourceOf(drawing, "own strips"), insertVertexCondition: never };
    return modifying(drawing, options, (event) => {
      const edits = plan.flights.flatMap(({ id, pattern }) => {
        if (pattern.kind !== "own") return [];
        const moved = new Map(
          event.features.getArray().map((line) => [String(line.getId()), line as Feature<LineString>] as const),
        );
        const lines = pattern.lines.map((strip, k) => {
          const line = moved.get(`${id}/${k}`);
          if (!line) return strip;
          const [start, end] = cornersOf(line.getGeometry()!);
          return { ...strip, start: start!, end: end! };
        });
        return fieldEdits(plan, `flights/${id}/pattern`, { lines });
      });
      if (edits.length) void edit(edits);
    });
  }, [drawing, station, placing, plan, edit]);
}

/** Corners are dragged while the Site is open: those of its features in their view, else those of the boundary. */
export function useReshape(drawing: Drawing | null, { placing, plan, station, tray, edit }: ToolContext) {
  const features = tray === "features";
  useEffect(() => {
    if (!drawing || station !== "site" || placing) return;
    const source = sourceOf(drawing, features ? "features of the site" : "boundary");
    return modifying(drawing, { source }, (event) => {
      if (!features) {
        const polygon = source.getFeatures()[0]?.getGeometry() as Polygon | undefined;
        if (polygon) void edit(fieldEdits(plan, "site", { boundary: cornersOf(polygon) }));
        return;
      }
      const edits = event.features.getArray().flatMap((changed) => {
        const thing = changed as Feature<Point | LineString | Polygon>;
        return fieldEdits(plan, String(thing.getId()), { vertices: cornersOf(thing.getGeometry()!) });
      });
      if (edits.length) void edit(edits);
    });
  }, [drawing, station, features, placing, plan, edit]);
}

function cornersOf(shape: Point | LineString | Polygon): [number, number][] {
  const at = shape.getCoordinates();
  const places =
    shape instanceof Polygon ? shape.getCoordinates()[0]!.slice(0, -1) : typeof at[0] === "number" ? [at] : at;
  return (places as number[][]).map(([e, n]) => [round(e!), round(n!)]);
}
