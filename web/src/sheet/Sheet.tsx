import { useQuery } from "@tanstack/react-query";
import Feature from "ol/Feature";
import OlMap from "ol/Map";
import View from "ol/View";
import { buffer, type Extent } from "ol/extent";
import LineString from "ol/geom/LineString";
import MultiLineString from "ol/geom/MultiLineString";
import MultiPoint from "ol/geom/MultiPoint";
import Point from "ol/geom/Point";
import Polygon, { fromExtent } from "ol/geom/Polygon";
import { defaults as defaultInteractions } from "ol/interaction/defaults";
import Draw from "ol/interaction/Draw";
import Modify from "ol/interaction/Modify";
import Translate from "ol/interaction/Translate";
import ImageLayer from "ol/layer/Image";
import VectorLayer from "ol/layer/Vector";
import VectorImageLayer from "ol/layer/VectorImage";
import Projection from "ol/proj/Projection";
import ImageStatic from "ol/source/ImageStatic";
import VectorSource from "ol/source/Vector";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import { useEffect, useMemo, useRef, useState } from "react";
import "ol/ol.css";
import { call, type TerrainDrawing } from "../api/client";
import { usePlan } from "../app/plan";
import { useWorkbench } from "../app/workbench";
import { drawFrame, plainStep } from "./frame";
import { Legend } from "./Legend";
import { newArea, place } from "./placing";
import { pointStyle, ramp, tokens, type Ramp } from "./symbols";

const BOX = { left: 26, top: 8, right: 8, bottom: 24 };
const GRID = new Projection({ code: "KARDO:GRID", units: "m" });
const NAMES = [
  "cells",
  "contours",
  "strips",
  "exposures",
  "ellipses",
  "areas",
  "boundary",
  "preview",
  "points",
] as const;
type LayerName = (typeof NAMES)[number];
/** Drawn once and moved as a picture while the sheet pans; drawn anew when it comes to rest. */
const STILL = new Set<LayerName>(["cells", "contours", "strips", "exposures", "ellipses"]);

interface Drawing {
  map: OlMap;
  shading: ImageLayer<ImageStatic>;
  layers: Record<LayerName, VectorLayer<VectorSource> | VectorImageLayer<VectorSource>>;
  modify: Modify;
}

function build(target: HTMLDivElement): Drawing {
  const layers = Object.fromEntries(
    NAMES.map((name, k) => [
      name,
      STILL.has(name)
        ? new VectorImageLayer({ source: new VectorSource(), zIndex: k + 1, imageRatio: 1.5 })
        : new VectorLayer({
            source: new VectorSource(),
            zIndex: k + 1,
            updateWhileInteracting: true,
            renderBuffer: 40,
          }),
    ]),
  ) as Drawing["layers"];
  const shading = new ImageLayer<ImageStatic>({ zIndex: 0 });
  const modify = new Modify({ source: layers.boundary.getSource()! });
  modify.setActive(false);
  const map = new OlMap({
    target,
    layers: [shading, ...NAMES.map((n) => layers[n])],
    controls: [],
    interactions: defaultInteractions({
      altShiftDragRotate: false,
      pinchRotate: false,
      doubleClickZoom: false,
      keyboard: false,
    }).extend([modify]),
    view: new View({
      projection: GRID,
      center: [0, 0],
      resolution: 1,
      minResolution: 0.001,
      maxResolution: 200,
      enableRotation: false,
    }),
  });
  return { map, shading, layers, modify };
}

/** The drawing, in the job's own grid. */
export function Sheet() {
  const frame = useRef<SVGSVGElement>(null);
  const holder = useRef<HTMLDivElement>(null);
  const [drawing, setDrawing] = useState<Drawing | null>(null);
  const [themed, setThemed] = useState(0);
  const { jobId, plan, summary, prediction, result, trial, edit } = usePlan();
  const bench = useWorkbench();
  const unit = plan.brief.unit;
  const surface = trial.live ?? result;
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const colours = useMemo(() => tokens(), [themed]);
  const terrain = useQuery({
    queryKey: ["terrain", jobId, plan.terrain?.digest],
    queryFn: () => call<TerrainDrawing>("GET", `/jobs/${jobId}/terrain/${plan.terrain!.digest}`),
    enabled: !!plan.terrain,
    staleTime: Infinity,
  });

  useEffect(() => {
    const made = build(holder.current!);
    setDrawing(made);
    (window as unknown as Record<string, unknown>).kardoMap = made.map; // lets a test find where a point is drawn
    const rethemed = () => setThemed((n) => n + 1);
    window.addEventListener("kardo-theme", rethemed);
    return () => {
      window.removeEventListener("kardo-theme", rethemed);
      made.map.setTarget(undefined);
    };
  }, []);

  useEffect(() => {
    if (!drawing) return;
    const draw = () => frame.current && drawFrame(frame.current, drawing.map, unit, BOX);
    drawing.map.on("postrender", draw);
    drawing.map.render();
    return () => drawing.map.un("postrender", draw);
  }, [drawing, unit]);

  // Terrain: shading and contours.
  useEffect(() => {
    if (!drawing) return;
    const source = drawing.layers.contours.getSource()!;
    source.clear();
    const t = terrain.data;
    drawing.shading.setVisible(document.documentElement.dataset.theme !== "field"); // no mid greys in the sun
    drawing.shading.setSource(
      t ? new ImageStatic({ url: t.shading, imageExtent: t.extent as Extent, projection: GRID }) : null,
    );
    for (const c of t?.lines ?? []) {
      const feature = new Feature(new LineString(c.line));
      feature.setStyle(
        new Style({
          stroke: new Stroke({ color: colours.contour!, width: c.index ? 1.1 : 0.5 }),
          text: c.index
            ? new Text({
                text: String(c.height),
                placement: "line",
                font: "10px 'Atkinson Hyperlegible Mono Variable'",
                fill: new Fill({ color: colours.contour! }),
                stroke: new Stroke({ color: colours.sheet!, width: 3 }),
              })
            : undefined,
        }),
      );
      source.addFeature(feature);
    }
  }, [drawing, terrain.data, colours]);

  // Predicted error or images, as cells of the map sample.
  const scale = useMemo((): Ramp | null => {
    if (!surface?.map || bench.layer === "none") return null;
    const values = cellValues(surface.map, bench.layer).filter((v): v is number => v !== null);
    if (!values.length) return null;
    if (bench.layer === "images")
      return ramp(values, 5, { title: "images that see the ground", limitName: "least", largeIsGood: true }, colours);
    const allowed = bench.layer === "v" ? surface.limit_v : surface.limit_h;
    const limit = allowed == null ? Math.max(...values) + 0.1 : allowed * 1000;
    const title = bench.layer === "v" ? "height error, mm (1 sigma)" : "plan error, radial, mm (1 sigma)";
    return ramp(values, limit, { title, limitName: allowed == null ? "" : "tol" }, colours);
  }, [surface, bench.layer, colours]);

  useEffect(() => {
    if (!drawing) return;
    const source = drawing.layers.cells.getSource()!;
    source.clear();
    if (!scale || !surface?.map) return;
    const { e, n, step } = surface.map;
    const values = cellValues(surface.map, bench.layer as "h" | "v" | "images");
    const styles = new Map<string, Style>();
    values.forEach((value, k) => {
      const fill = value === null ? "transparent" : scale.colour(value);
      if (!styles.has(fill))
        styles.set(
          fill,
          new Style({ fill: new Fill({ color: fill }), stroke: new Stroke({ color: fill, width: 0.6 }) }),
        );
      const half = step / 2;
      const feature = new Feature(fromExtent([e[k]! - half, n[k]! - half, e[k]! + half, n[k]! + half]));
      feature.setStyle(styles.get(fill));
      source.addFeature(feature);
    });
    drawing.layers.cells.setOpacity(0.8);
  }, [drawing, scale, surface, bench.layer]);

  // Strips and exposures.
  useEffect(() => {
    if (!drawing) return;
    const strips = drawing.layers.strips.getSource()!;
    const exposures = drawing.layers.exposures.getSource()!;
    strips.clear();
    exposures.clear();
    const flight = summary?.flight;
    if (!flight) return;
    const lines = new Feature(new MultiLineString(flight.strips.map((s) => [s.start, s.end])));
    lines.setStyle(new Style({ stroke: new Stroke({ color: colours.quiet!, width: 0.7, lineDash: [7, 5] }) }));
    strips.addFeature(lines);
    const centres = new Feature(new MultiPoint(flight.e.map((e, k) => [e, flight.n[k]!])));
    centres.setStyle(new Style({ image: new CircleStyle({ radius: 1.3, fill: new Fill({ color: colours.quiet! }) }) }));
    exposures.addFeature(centres);
  }, [drawing, summary?.flight, colours]);

  // Error ellipses of control, exaggerated; the factor is stated in the legend.
  const exaggeration = useMemo(() => {
    const largest = Math.max(0, ...(result?.control ?? []).map((c) => c.ellipse?.major ?? 0));
    const span = summary?.area ? Math.sqrt(summary.area) : 0;
    return largest && span ? plainStep((0.05 * span) / largest / 2) : 0;
  }, [result, summary?.area]);
  useEffect(() => {
    if (!drawing) return;
    const source = drawing.layers.ellipses.getSource()!;
    source.clear();
    for (const figures of result?.control ?? []) {
      const point = plan.control.find((p) => p.id === figures.id);
      if (!point || !figures.ellipse || !exaggeration) continue;
      const { major, minor, azimuth } = figures.ellipse;
      const a = (azimuth * Math.PI) / 180;
      const ring = Array.from({ length: 37 }, (_, k) => {
        const t = (k * Math.PI) / 18;
        const [x, y] = [major * Math.cos(t) * exaggeration, minor * Math.sin(t) * exaggeration];
        return [point.e + x * Math.sin(a) + y * Math.cos(a), point.n + x * Math.cos(a) - y * Math.sin(a)];
      });
      const feature = new Feature(new Polygon([ring]));
      feature.setStyle(new Style({ stroke: new Stroke({ color: colours.ink!, width: 1 }) }));
      source.addFeature(feature);
    }
  }, [drawing, result, plan.control, exaggeration, colours]);

  // Boundary, and the boundary somebody is about to take.
  useEffect(() => {
    if (!drawing) return;
    const source = drawing.layers.boundary.getSource()!;
    source.clear();
    if (plan.site.boundary && plan.site.boundary.length >= 3) {
      const feature = new Feature(new Polygon([closed(plan.site.boundary as [number, number][])]));
      const vertices = new Style({
        image: new CircleStyle({
          radius: 3.2,
          fill: new Fill({ color: colours.sheet! }),
          stroke: new Stroke({ color: colours.ink!, width: 1.3 }),
        }),
        geometry: (f) => new MultiPoint((f.getGeometry() as Polygon).getCoordinates()[0]!),
      });
      const outline = new Style({
        stroke: new Stroke({ color: colours.ink!, width: 1.8, lineDash: [12, 3, 2, 3] }),
      });
      feature.setStyle(bench.station === "site" ? [outline, vertices] : [outline]);
      source.addFeature(feature);
    }
  }, [drawing, plan.site.boundary, bench.station, colours]);

  // Areas whose volume matters, with their names.
  useEffect(() => {
    if (!drawing) return;
    const source = drawing.layers.areas.getSource()!;
    source.clear();
    for (const a of plan.areas) {
      const feature = new Feature(new Polygon([closed(a.ring as [number, number][])]));
      feature.setStyle(
        new Style({
          stroke: new Stroke({ color: colours.settled!, width: 1.6, lineDash: [3, 3] }),
          text: new Text({
            text: a.name,
            font: "600 12px 'Atkinson Hyperlegible Next Variable'",
            fill: new Fill({ color: colours.settled! }),
            stroke: new Stroke({ color: colours.sheet!, width: 3 }),
          }),
        }),
      );
      source.addFeature(feature);
    }
  }, [drawing, plan.areas, colours]);

  useEffect(() => {
    if (!drawing) return;
    const source = drawing.layers.preview.getSource()!;
    source.clear();
    if (!bench.preview) return;
    const feature = new Feature(new Polygon([closed(bench.preview)]));
    feature.setStyle(
      new Style({
        stroke: new Stroke({ color: colours.decision!, width: 2.2, lineDash: [4, 4] }),
        fill: new Fill({ color: "rgb(180 68 28 / 0.08)" }),
      }),
    );
    source.addFeature(feature);
    drawing.map.getView().fit(buffer(feature.getGeometry()!.getExtent(), 30), { padding: [20, 20, 20, 20] });
  }, [drawing, bench.preview, colours]);

  useEffect(() => {
    if (!drawing) return;
    drawing.modify.setActive(bench.station === "site" && !bench.placing);
    const done = () => {
      const polygon = drawing.layers.boundary.getSource()!.getFeatures()[0]?.getGeometry() as Polygon | undefined;
      if (!polygon) return;
      const ring = polygon
        .getCoordinates()[0]!
        .slice(0, -1)
        .map(([e, n]) => [round(e!), round(n!)]);
      void edit([{ object: "site", value: { boundary: ring } }]);
    };
    drawing.modify.on("modifyend", done);
    return () => drawing.modify.un("modifyend", done);
  }, [drawing, bench.station, bench.placing, edit]);

  // Once the figures stand, the server is asked to make ready for the first drag.
  const { ask, warm } = trial;
  const ready = prediction?.state === "done" && !result?.defects.length ? result?.hash : undefined;
  const wanted = bench.station === "control" || bench.station === "verdict" || !!bench.selected?.startsWith("control/");
  useEffect(() => {
    if (ready && wanted) warm();
  }, [ready, wanted, warm]);

  // Control and marks.
  const { selected, select, draft, setDraft, placing, setPlacing } = bench;
  useEffect(() => {
    if (!drawing) return;
    const source = drawing.layers.points.getSource()!;
    source.clear();
    const add = (object: string, kind: string, label: string, e: number, n: number) => {
      const at = draft?.object === object ? [draft.e, draft.n] : [e, n];
      if (draft?.object === object) source.addFeature(whence([e, n], at, colours));
      const feature = new Feature(new Point(at));
      feature.setId(object);
      feature.setStyle(pointStyle(kind, label, selected === object, colours));
      source.addFeature(feature);
    };
    for (const m of plan.marks)
      add(`mark/${m.id}`, "mark", m.id === plan.base.mark ? `${m.name} · base` : m.name, m.e, m.n);
    for (const p of plan.control) add(`control/${p.id}`, p.role, p.name, p.e, p.n);
  }, [drawing, plan.control, plan.marks, plan.base.mark, selected, draft, colours]);

  useEffect(() => {
    if (!drawing || placing) return;
    const drag = new Translate({
      layers: [drawing.layers.points],
      hitTolerance: 6,
      filter: (f) => String(f.getId()).startsWith("control/"),
    });
    drag.on("translatestart", (event) => select(String(event.features.item(0).getId())));
    const dragged = (feature: Feature) => {
      const point = plan.control.find((p) => `control/${p.id}` === feature.getId());
      const [e, n] = (feature.getGeometry() as Point).getCoordinates() as [number, number];
      return point ? [{ object: `control/${point.id}`, value: { ...point, e: round(e), n: round(n) } }] : [];
    };
    drag.on("translating", (event) => {
      const changes = dragged(event.features.item(0));
      ask(changes);
      for (const { object, value } of changes) setDraft({ object, e: value.e, n: value.n });
    });
    drag.on("translateend", (event) => {
      const changes = dragged(event.features.item(0));
      if (changes.length) void edit(changes);
      setDraft(null);
    });
    drawing.map.addInteraction(drag);
    return () => void drawing.map.removeInteraction(drag);
  }, [drawing, placing, plan.control, edit, select, ask, setDraft]);

  // Placing and choosing with the pointer.
  useEffect(() => {
    if (!drawing) return;
    const clicked = (event: { coordinate: number[]; pixel: number[] }) => {
      if (placing === "area") return;
      if (placing) {
        const { change, object } = place(plan, placing, event.coordinate[0]!, event.coordinate[1]!);
        void edit(change);
        select(object);
        setPlacing(null);
        return;
      }
      const hit = drawing.map.forEachFeatureAtPixel(event.pixel, (f) => f, {
        layerFilter: (l) => l === drawing.layers.points,
        hitTolerance: 6,
      });
      select(hit ? String(hit.getId()) : null);
    };
    drawing.map.on("click", clicked);
    return () => drawing.map.un("click", clicked);
  }, [drawing, placing, plan, edit, select, setPlacing]);

  // An area is drawn corner by corner; a click on the first corner, or a double click, closes it.
  useEffect(() => {
    if (!drawing || placing !== "area") return;
    const stroke = new Stroke({ color: colours.decision!, width: 1.8, lineDash: [4, 3] });
    const corner = new CircleStyle({ radius: 4, fill: new Fill({ color: colours.sheet! }), stroke });
    const draw = new Draw({ type: "Polygon", stopClick: true, style: new Style({ stroke, image: corner }) });
    draw.on("drawend", (event) => {
      const ring = (event.feature.getGeometry() as Polygon).getCoordinates()[0]!.slice(0, -1);
      void edit([newArea(plan, ring as [number, number][])]);
      setPlacing(null);
    });
    drawing.map.addInteraction(draw);
    return () => void drawing.map.removeInteraction(draw);
  }, [drawing, placing, plan, edit, setPlacing, colours]);

  // Enter places at the middle of the sheet, so that the pointer is not needed.
  useEffect(() => {
    if (!drawing || !placing || placing === "area") return;
    const key = (event: KeyboardEvent) => {
      if (event.key !== "Enter" || event.target !== document.body) return;
      const [e, n] = drawing.map.getView().getCenter() as [number, number];
      const { change, object } = place(plan, placing, e, n);
      void edit(change);
      select(object);
      setPlacing(null);
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [drawing, placing, plan, edit, select, setPlacing]);

  useFirstView(drawing, plan.site.boundary as [number, number][], terrain.data?.extent as Extent | undefined);
  useEffect(() => {
    if (drawing && bench.goTo) drawing.map.getView().animate({ center: [bench.goTo.e, bench.goTo.n], duration: 250 });
  }, [drawing, bench.goTo]);

  const { left, top, right, bottom } = BOX;
  return (
    <div className="relative h-full w-full overflow-hidden bg-paper" data-testid="sheet">
      <div
        ref={holder}
        className={`absolute bg-sheet outline-[1.5px] outline-ink ${placing ? "cursor-crosshair" : ""}`}
        style={{ left, top, right, bottom }}
        role="application"
        aria-label="Plan drawing in the job's grid"
      />
      <svg ref={frame} className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden />
      <Tools />
      {scale && <Legend ramp={scale} exaggeration={exaggeration} />}
      {!plan.site.boundary?.length && !terrain.data && <Empty />}
    </div>
  );
}

function Empty() {
  const { plan } = usePlan();
  return (
    <div className="pointer-events-none absolute inset-0 grid place-items-center">
      <p className="max-w-sm border border-hairline bg-sheet p-3 text-center">
        {plan.brief.crs
          ? "The sheet is empty. Open Site (2) and import the boundary, or paste its corners."
          : "The sheet has no grid yet. Open Brief (1) and choose the job's coordinate system."}
      </p>
    </div>
  );
}

function Tools() {
  const { placing, setPlacing, layer, setLayer } = useWorkbench();
  const tool = (kind: "target" | "check" | "base" | "area", key: string, words: string) => (
    <button
      className="button text-sm"
      aria-pressed={placing === kind}
      onClick={() => setPlacing(placing === kind ? null : kind)}
      title={`${words}: click on the sheet, or Enter for its middle (${key})`}
    >
      <kbd className="figures opacity-75">{key}</kbd> {kind}
    </button>
  );
  return (
    <div className="absolute top-[18px] left-[38px] flex items-center gap-1">
      {tool("target", "G", "Place a control target")}
      {tool("check", "K", "Place a check")}
      {tool("base", "O", "Place the base on a new mark")}
      {tool("area", "A", "Draw an area whose volume matters, corner by corner")}
      <select
        className="input text-sm"
        aria-label="Layer"
        value={layer}
        onChange={(event) => setLayer(event.target.value as typeof layer)}
        title="Error layer (E)"
      >
        <option value="v">height error</option>
        <option value="h">plan error</option>
        <option value="images">images</option>
        <option value="none">no layer</option>
      </select>
    </div>
  );
}

function cellValues(
  map: { h: (number | null)[]; v: (number | null)[]; images: number[] },
  layer: "h" | "v" | "images" | "none",
) {
  if (layer === "images") return map.images;
  return map[layer === "h" ? "h" : "v"].map((x) => (x === null ? null : x * 1000));
}

/** Where a point on its way comes from: a dashed ring at the old place and a line to the new one. */
function whence(from: number[], to: number[], colours: Record<string, string>): Feature {
  const feature = new Feature(new LineString([from, to]));
  const stroke = new Stroke({ color: colours.decision!, width: 1.4, lineDash: [4, 3] });
  feature.setStyle([
    new Style({ stroke }),
    new Style({ image: new CircleStyle({ radius: 8, stroke }), geometry: new Point(from) }),
  ]);
  return feature;
}

function closed(ring: [number, number][]): number[][] {
  return [...ring, ring[0]!];
}

/** Tenths of a millimetre are kept; the pointer is never that good. */
function round(value: number): number {
  return Math.round(value * 1000) / 1000;
}

/** Fits the sheet once when the job opens, and again when a first boundary or terrain arrives. */
function useFirstView(drawing: Drawing | null, boundary: [number, number][], terrain: Extent | undefined) {
  const shown = useRef<"nothing" | "terrain" | "boundary">("nothing");
  useEffect(() => {
    if (!drawing || shown.current === "boundary") return;
    const extent = boundary?.length >= 3 ? new Polygon([closed(boundary)]).getExtent() : terrain;
    if (!extent || (boundary.length < 3 && shown.current === "terrain")) return;
    shown.current = boundary.length >= 3 ? "boundary" : "terrain";
    drawing.map.updateSize();
    drawing.map.getView().fit(extent, { padding: [44, 24, 44, 24] });
  }, [drawing, boundary, terrain]);
}
