import { useQuery } from "@tanstack/react-query";
import { buffer, type Extent } from "ol/extent";
import Polygon from "ol/geom/Polygon";
import ImageStatic from "ol/source/ImageStatic";
import { useEffect, useMemo, useRef, useState } from "react";
import "ol/ol.css";
import { call, type TerrainDrawing } from "../api/client";
import { usePlan } from "../app/plan";
import { useNavigation } from "../app/workbench/navigation";
import { useOverlay } from "../app/workbench/overlay";
import { type GoTo, useSelection } from "../app/workbench/selection";
import { LAYERS } from "../stations/registry";
import { useCovered } from "./covered";
import { build, closed, GRID, sourceOf, type Drawing, type SheetView, type ToolContext } from "./drawing";
import { drawFrame } from "./frame";
import { rampOf } from "./layers/cells";
import { exaggerationOf } from "./layers/ellipses";
import { residualFactorOf } from "./layers/residuals";
import { useBasePlaces } from "../stations/base/useBasePlaces";
import { useClose } from "../stations/close/useClose";
import { Legend } from "./Legend";
import { tokens } from "./symbols";
import { ToolBar } from "./ToolBar";
import { useArea } from "./tools/area";
import { useDrag } from "./tools/drag";
import { useFeature } from "./tools/feature";
import { usePlace } from "./tools/place";
import { useReshape, useStripEnds } from "./tools/reshape";

const BOX = { left: 26, top: 8, right: 8, bottom: 24 };

/** The drawing, in the job's own grid. */
export function Sheet() {
  const frame = useRef<SVGSVGElement>(null);
  const holder = useRef<HTMLDivElement>(null);
  const [drawing, setDrawing] = useState<Drawing | null>(null);
  const { plan, catalogue, edit, trial } = usePlan();
  const rest = useRest(drawing);
  const view = useView(rest);
  const { placing, drawn, select, setPlacing, setDraft, goTo } = useSelection();
  const { view: tray } = useNavigation();
  const { preview } = useOverlay();
  const { ask } = trial;

  useEffect(() => {
    const made = build(holder.current!, LAYERS);
    setDrawing(made);
    (window as unknown as Record<string, unknown>).kardoMap = made.map; // lets a test find where a point is drawn
    return () => made.map.setTarget(undefined);
  }, []);

  useFrame(drawing, frame, plan.brief.unit);
  useShading(drawing, view);
  useBackdrop(drawing);
  useCovered(drawing, view);
  for (const layer of LAYERS) useLayer(drawing, layer, view); // eslint-disable-line react-hooks/rules-of-hooks -- a constant list

  const tools: ToolContext = useMemo(
    () => ({
      plan,
      catalogue,
      placing,
      drawn,
      station: view.station,
      tray,
      colours: view.colours,
      edit,
      select,
      setPlacing,
      setDraft,
      ask,
    }),
    [plan, catalogue, placing, drawn, view.station, tray, view.colours, edit, select, setPlacing, setDraft, ask],
  );
  useDrag(drawing, tools);
  usePlace(drawing, tools);
  useArea(drawing, tools);
  useFeature(drawing, tools);
  useReshape(drawing, tools);
  useStripEnds(drawing, tools);
  useWarm();
  useFirstView(drawing, plan.site.boundary, view.terrain?.extent);
  useGoing(drawing, goTo, preview, plan.site.boundary);

  const { left, top, right, bottom } = BOX;
  return (
    <div className="sheet relative h-full w-full overflow-hidden bg-paper" data-testid="sheet">
      <div
        ref={holder}
        className={`absolute bg-sheet outline-[1.5px] outline-ink ${placing ? "cursor-crosshair" : ""}`}
        style={{ left, top, right, bottom }}
        role="application"
        aria-label="Plan drawing in the job's grid"
      />
      <svg ref={frame} className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden />
      <div className="over-sheet">
        {view.ramp && (
          <Legend ramp={view.ramp} exaggeration={view.exaggeration} holder={holder} unit={plan.brief.unit} />
        )}
        <div className="pointer-events-none absolute top-[18px] right-[64px] left-[38px] flex flex-col items-start gap-1">
          <ToolBar />
          {view.residualFactor > 0 && (
            <p className="border border-hairline bg-sheet/95 px-2 py-1 text-xs">
              <span className="text-decision-text">→ residual in plan</span>,{" "}
              <span className="text-settled">▮ in height, up: the map is too high</span>; both{" "}
              <span className="figures">× {view.residualFactor.toLocaleString("en-GB")}</span>
            </p>
          )}
        </div>
      </div>
      {!plan.site.boundary.length && !view.terrain && <Empty />}
    </div>
  );
}

/** All that the layers are drawn from. */
function useView({ resolution, extent }: Rest): SheetView {
  const { jobId, plan, summary, result, trial } = usePlan();
  const { station, view: tray } = useNavigation();
  const { layer, preview, round, way, brought, proposed, covered } = useOverlay();
  const { selected, draft } = useSelection();
  const [themed, setThemed] = useState(0);
  useEffect(() => {
    const rethemed = () => setThemed((n) => n + 1);
    window.addEventListener("kardo-theme", rethemed);
    return () => window.removeEventListener("kardo-theme", rethemed);
  }, []);
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the tokens are read anew with each theme
  const colours = useMemo(() => tokens(), [themed]);
  const digest = plan.site.ground.terrain?.digest;
  const terrain = useQuery({
    queryKey: ["terrain", jobId, digest],
    queryFn: () => call<TerrainDrawing>("GET", `/jobs/${jobId}/terrain/${digest}`),
    enabled: !!digest,
    staleTime: Infinity,
  });
  const surface = trial.live ?? result;
  const ramp = useMemo(
    () => rampOf({ surface, layer, colours, plan, covered }),
    [surface, layer, colours, plan, covered],
  );
  const atClose = station === "close";
  const exaggeration = useMemo(() => (atClose ? 0 : exaggerationOf(result, summary)), [atClose, result, summary]);
  const close = useClose(atClose);
  const closed = atClose ? close : undefined;
  const residualFactor = useMemo(() => residualFactorOf(closed, plan), [closed, plan]);
  const looking = station === "base" && tray === "place";
  const places = useBasePlaces(looking).data;
  const basePlaces = looking ? places : undefined;
  const view = {
    plan,
    summary,
    result,
    surface,
    terrain: terrain.data,
    colours,
    layer,
    station,
    selected,
    draft,
    preview,
    round,
    way,
    resolution,
    extent,
    brought,
    covered,
    ramp,
    exaggeration,
    closed,
    residualFactor,
    basePlaces,
    proposed,
  };
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the same view as long as each of its parts is the same
  return useMemo(() => view, Object.values(view));
}

type Rest = Pick<SheetView, "resolution" | "extent">;

/** Metres a pixel and what is in sight, told anew each time the sheet has come to rest. */
function useRest(drawing: Drawing | null): Rest {
  const [rest, setRest] = useState<Rest>({ resolution: 0, extent: undefined });
  useEffect(() => {
    if (!drawing) return;
    const rested = () => {
      const seen = drawing.map.getView();
      setRest({ resolution: seen.getResolution() ?? 0, extent: seen.calculateExtent() as Rest["extent"] });
    };
    drawing.map.on("moveend", rested);
    return () => drawing.map.un("moveend", rested);
  }, [drawing]);
  return rest;
}

function useLayer(drawing: Drawing | null, layer: (typeof LAYERS)[number], view: SheetView) {
  useEffect(() => {
    if (!drawing) return;
    const source = sourceOf(drawing, layer.name);
    const features = layer.features(view);
    source.clear();
    source.addFeatures(features);
    // an empty picture is moved and blended at every frame like a full one
    drawing.layers.get(layer.name)!.setVisible(features.length > 0);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- drawn anew when what the layer says it is made from changes
  }, [drawing, layer, ...layer.from(view)]);
}

function useFrame(drawing: Drawing | null, frame: React.RefObject<SVGSVGElement | null>, unit: string) {
  useEffect(() => {
    if (!drawing) return;
    const draw = () => frame.current && drawFrame(frame.current, drawing.map, unit, BOX);
    drawing.map.on("postrender", draw);
    drawing.map.render();
    return () => drawing.map.un("postrender", draw);
  }, [drawing, frame, unit]);
}

function useShading(drawing: Drawing | null, { terrain, colours }: SheetView) {
  useEffect(() => {
    if (!drawing) return;
    drawing.shading.setVisible(document.documentElement.dataset.theme !== "field"); // no mid greys in the sun
    drawing.shading.setSource(
      terrain ? new ImageStatic({ url: terrain.shading, imageExtent: terrain.extent, projection: GRID }) : null,
    );
  }, [drawing, terrain, colours]);
}

/** The picture of the site that is chosen, under everything that is drawn. */
function useBackdrop(drawing: Drawing | null) {
  const { jobId, plan } = usePlan();
  const { backdrop } = useOverlay();
  const shown = plan.site.backdrops?.find((one) => one.id === backdrop?.id);
  const opacity = backdrop?.opacity ?? 1;
  const { digest, extent } = shown ?? {};
  const where = extent?.join(" ");
  useEffect(() => {
    if (!drawing) return;
    const url = `/api/jobs/${jobId}/backdrop/${digest}.jpg`;
    const imageExtent = where?.split(" ").map(Number);
    drawing.backdrop.setSource(digest && imageExtent ? new ImageStatic({ url, imageExtent, projection: GRID }) : null);
  }, [drawing, jobId, digest, where]);
  useEffect(() => drawing?.backdrop.setOpacity(opacity), [drawing, opacity]);
}

/** Once the figures stand, the server is asked to make ready for the first drag. */
function useWarm() {
  const { result, trial } = usePlan();
  const { station } = useNavigation();
  const { selected } = useSelection();
  const { warm } = trial;
  const wanted = station === "control" || station === "verdict" || !!selected?.startsWith("control/");
  const hash = result?.hash;
  useEffect(() => {
    if (hash && wanted) warm();
  }, [hash, wanted, warm]);
}

/** Goes where the sheet is wanted: to a place, to what is about to be taken, and back to the whole site when that is settled. */
function useGoing(
  drawing: Drawing | null,
  goTo: GoTo | null,
  preview: [number, number][] | null,
  boundary: [number, number][],
) {
  const site = useRef(boundary);
  const previewed = useRef(false);
  useEffect(() => {
    site.current = boundary;
  }, [boundary]);
  useEffect(() => {
    if (!drawing || !goTo) return;
    if ("whole" in goTo) fitSite(drawing.map, site.current);
    else drawing.map.getView().animate({ center: [goTo.e, goTo.n], duration: 250 });
  }, [drawing, goTo]);
  useEffect(() => {
    if (!drawing || (!preview && !previewed.current)) return;
    previewed.current = !!preview;
    if (!preview) return fitSite(drawing.map, site.current);
    const extent = new Polygon([closed(preview)]).getExtent();
    drawing.map.getView().fit(buffer(extent, 30), { padding: [20, 20, 20, 20] });
  }, [drawing, preview]);
}

function fitSite(map: Drawing["map"], boundary: [number, number][]) {
  if (boundary.length >= 3) fitBesideLegend(map, new Polygon([closed(boundary)]).getExtent(), boundary);
}

/** Fits the sheet once when the job opens, and again when a first boundary or terrain arrives. */
function useFirstView(drawing: Drawing | null, boundary: [number, number][], terrain: Extent | undefined) {
  const shown = useRef<"nothing" | "terrain" | "boundary">("nothing");
  useEffect(() => {
    if (!drawing || shown.current === "boundary") return;
    const extent = boundary.length >= 3 ? new Polygon([closed(boundary)]).getExtent() : terrain;
    if (!extent || (boundary.length < 3 && shown.current === "terrain")) return;
    shown.current = boundary.length >= 3 ? "boundary" : "terrain";
    drawing.map.updateSize();
    fitBesideLegend(drawing.map, extent, boundary);
  }, [drawing, boundary, terrain]);
}

/** Above, right, below and left of what is fitted, pixels; and the room that the legend takes in the lower right corner. */
const AROUND = [44, 24, 44, 24] as const;
const LEGEND = { width: 236, height: 112 };

/** The whole extent, clear of the legend: where a corner would lie under it, left of it or above it, whichever is larger. */
function fitBesideLegend(map: Drawing["map"], extent: Extent, ring: [number, number][]) {
  const view = map.getView();
  const [width = 0, height = 0] = map.getSize() ?? [];
  const resolution = (right: number, below: number) => {
    view.fit(extent, { padding: [AROUND[0], right, below, AROUND[3]] });
    return view.getResolution()!;
  };
  const at = resolution(AROUND[1], AROUND[2]);
  const [e, n] = view.getCenter() as [number, number];
  const under = ring.some(
    (p) => (p[0] - e) / at > width / 2 - LEGEND.width && (n - p[1]) / at > height / 2 - LEGEND.height,
  );
  if (!under) return;
  const beside = resolution(LEGEND.width, AROUND[2]);
  if (resolution(AROUND[1], LEGEND.height) > beside) resolution(LEGEND.width, AROUND[2]);
}

function Empty() {
  const { plan } = usePlan();
  return (
    <div className="pointer-events-none absolute inset-0 grid place-items-center">
      <p className="max-w-sm border border-hairline bg-sheet p-3 text-center">
        {plan.brief.crs
          ? "The sheet is empty. Open Site (2) and import the boundary or paste its corners, or draw it here (A)."
          : "The sheet has no grid yet. Open Brief (1) and choose the job's coordinate system."}
      </p>
    </div>
  );
}
