import { useEffect } from "react";
import { pointAt, type Drawing, type ToolContext } from "../drawing";
import { place } from "../placing";

/** What Enter presses or fills in, so that it places nothing there. */
const PRESSED = "a, button, input, select, summary, textarea, [role=dialog]";

/** A click places what is being placed, or chooses what is there; Enter places at the middle of the sheet. */
export function usePlace(drawing: Drawing | null, { placing, plan, catalogue, edit, select, setPlacing }: ToolContext) {
  useEffect(() => {
    if (!drawing) return;
    const put = (e: number, n: number) => {
      if (!placing || placing === "area" || placing === "feature") return;
      const { edits, object } = place(catalogue.new_point, plan, placing, e, n);
      void edit(edits);
      select(object);
      setPlacing(null);
    };
    const clicked = (event: { coordinate: number[]; pixel: number[] }) => {
      if (placing === "area" || placing === "feature") return;
      if (placing) return put(event.coordinate[0]!, event.coordinate[1]!);
      const hit = pointAt(drawing, event.pixel);
      select(hit ? String(hit.getId()) : null);
    };
    const key = (event: KeyboardEvent) => {
      if (event.key !== "Enter" || (event.target as Element).closest(PRESSED)) return;
      const [e, n] = drawing.map.getView().getCenter() as [number, number];
      put(e, n);
    };
    drawing.map.on("click", clicked);
    window.addEventListener("keydown", key);
    return () => {
      drawing.map.un("click", clicked);
      window.removeEventListener("keydown", key);
    };
  }, [drawing, placing, plan, catalogue, edit, select, setPlacing]);
}
