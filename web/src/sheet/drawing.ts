import OlMap from "ol/Map";
import View from "ol/View";
import type Feature from "ol/Feature";
import type Point from "ol/geom/Point";
import { defaults as defaultInteractions } from "ol/interaction/defaults";
import ImageLayer from "ol/layer/Image";
import VectorLayer from "ol/layer/Vector";
import VectorImageLayer from "ol/layer/VectorImage";
import Projection from "ol/proj/Projection";
import type ImageStatic from "ol/source/ImageStatic";
import VectorSource from "ol/source/Vector";
import type {
  BasePlaces,
  Catalogue,
  Close,
  Edit,
  Figures,
  Plan,
  Result,
  SiteFeature,
  Spot,
  Summary,
  TerrainDrawing,
} from "../api/client";
import type { Station } from "../app/workbench/navigation";
import type { Brought, Covered, ErrorLayer } from "../app/workbench/overlay";
import type { Placing } from "../app/workbench/selection";
import type { Ramp } from "./symbols";

export const GRID = new Projection({ code: "KARDO:GRID", units: "m" });

/** What the sheet is drawn from. */
export interface SheetView {
  plan: Plan;
  summary: Summary | undefined;
  result: Result | null;
  /** The figures of the error surface: live ones while something is tried. */
  surface: Figures | null;
  terrain: TerrainDrawing | undefined;
  colours: Record<string, string>;
  layer: ErrorLayer;
  station: Station;
  selected: string | null;
  draft: { object: string; e: number; n: number } | null;
  preview: [number, number][] | null;
  round: string[];
  /** The way of the round over the site, where it is known; empty: straight from point to point. */
  way: [number, number][];
  /** Grid metres a pixel, once the sheet has come to rest. */
  resolution: number;
  /** West, south, east, north of what is in sight then, grid metres. */
  extent: [number, number, number, number] | undefined;
  /** What is about to be brought in: points, lines and areas of a file that is looked at. */
  brought: Brought | null;
  /** What fills the sheet instead of the error surface. */
  covered: Covered | null;
  ramp: Ramp | null;
  exaggeration: number;
  /** The closed job while Close is open, and how many times its residuals are drawn as long as they are. */
  closed: Close | undefined;
  residualFactor: number;
  /** Places for the base while they are looked at. */
  basePlaces: BasePlaces | undefined;
  /** Points of a layout that is looked at. */
  proposed: Spot[] | null;
}

/** One layer of the sheet: a module of its own, drawn anew when what it is made from changes. */
export interface SheetLayer {
  name: string;
  /** Its place from the ground up. */
  rank: number;
  /** Drawn once and moved as a picture while the sheet pans; drawn anew when it comes to rest. */
  still?: boolean;
  opacity?: number;
  /** What of the view it depends on. */
  from: (view: SheetView) => unknown[];
  features: (view: SheetView) => Feature[];
}

/** What a tool can do with the plan and the bench. */
export interface ToolContext {
  plan: Plan;
  catalogue: Catalogue;
  placing: Placing;
  drawn: { kind: SiteFeature["kind"]; shape: SiteFeature["shape"] };
  station: Station;
  /** The view of the open station; empty for its first. */
  tray: string;
  colours: Record<string, string>;
  edit: (edits: Edit[]) => Promise<boolean>;
  select: (object: string | null) => void;
  setPlacing: (placing: Placing) => void;
  setDraft: (draft: SheetView["draft"]) => void;
  ask: (edits: Edit[]) => void;
}

export interface Drawing {
  map: OlMap;
  shading: ImageLayer<ImageStatic>;
  backdrop: ImageLayer<ImageStatic>;
  covered: ImageLayer<ImageStatic>;
  layers: Map<string, VectorLayer<VectorSource> | VectorImageLayer<VectorSource>>;
}

/** The map with an empty layer for each of the sheet's, in their order from the ground up. */
export function build(target: HTMLDivElement, layers: SheetLayer[]): Drawing {
  const made = new Map(
    layers.map((layer, k) => [
      layer.name,
      layer.still
        ? new VectorImageLayer({
            source: new VectorSource(),
            zIndex: k + 1,
            imageRatio: 1.5,
            opacity: layer.opacity ?? 1,
          })
        : new VectorLayer({
            source: new VectorSource(),
            zIndex: k + 1,
            updateWhileInteracting: true,
            renderBuffer: 40,
          }),
    ]),
  );
  const shading = new ImageLayer<ImageStatic>({ zIndex: 0 });
  const backdrop = new ImageLayer<ImageStatic>({ zIndex: 0.5 });
  const covered = new ImageLayer<ImageStatic>({ zIndex: 0.7, opacity: 0.85 });
  const map = new OlMap({
    target,
    layers: [shading, backdrop, covered, ...made.values()],
    controls: [],
    interactions: defaultInteractions({
      altShiftDragRotate: false,
      pinchRotate: false,
      doubleClickZoom: false,
      keyboard: false,
    }),
    view: new View({
      projection: GRID,
      center: [0, 0],
      resolution: 1,
      minResolution: 0.001,
      maxResolution: 200,
      enableRotation: false,
    }),
  });
  return { map, shading, backdrop, covered, layers: made };
}

/** The source of one of the layers. */
export function sourceOf(drawing: Drawing, name: string): VectorSource {
  return drawing.layers.get(name)!.getSource()!;
}

/** Half a symbol and a little, pixels: so near is on it. */
const ON_SYMBOL = 16;

/** The point whose symbol lies under a pixel; those alone whose ids begin so. By distance: pixels that are drawn once more and read
 * back cost a fifth of a second at first, and some at every move. */
export function pointAt(drawing: Drawing, pixel: number[], prefix = ""): Feature<Point> | null {
  const reach = ON_SYMBOL * drawing.map.getView().getResolution()!;
  const [e, n] = drawing.map.getCoordinateFromPixel(pixel) as [number, number];
  const near = sourceOf(drawing, "points")
    .getFeaturesInExtent([e - reach, n - reach, e + reach, n + reach])
    .filter((f) => String(f.getId()).startsWith(prefix) && f.getGeometry()?.getType() === "Point")
    .map((f) => ({ f: f as Feature<Point>, at: (f as Feature<Point>).getGeometry()!.getCoordinates() }))
    .map(({ f, at }) => ({ f, away: Math.hypot(at[0]! - e, at[1]! - n) }))
    .sort((a, b) => a.away - b.away)[0];
  return near && near.away <= reach ? near.f : null;
}

export function closed(ring: readonly (readonly number[])[]): number[][] {
  return [...ring, ring[0]!].map((p) => [...p]);
}

/** Millimetres are kept; the pointer is never that good. */
export function round(value: number): number {
  return Math.round(value * 1000) / 1000;
}
