import { useEffect, useState } from "react";
import { STATION_OF } from "../stations/reading";
import { STATIONS } from "../stations/registry";
import { Panel } from "../ui/Panel";
import { usePlan } from "./plan";
import { useWorkbench, type Carried } from "./workbench";

const MAP = /\.(geojson|json|kml|kmz|gpx|gpkg|zip|shp|shx|dbf|prj|cpg|dxf)$/i;
const LIST = /\.(csv|txt)$/i;
const TIFF = /\.tiff?$/i;
const PICTURE = /\.(jpe?g|png)$/i;

/** What a dropped file may be, by the end of its name; the station's reader looks at what is in it. */
const KINDS: { to: Carried["to"]; name: string; fits: RegExp[] }[] = [
  { to: "boundary", name: "the boundary of the site", fits: [MAP, LIST] },
  { to: "points", name: "control points", fits: [MAP, LIST] },
  { to: "features", name: "what stands on the site", fits: [MAP] },
  { to: "flown", name: "what was flown: photo positions or a track", fits: [MAP, LIST] },
  { to: "terrain", name: "the terrain", fits: [TIFF] },
  { to: "backdrop", name: "a picture of the site", fits: [TIFF, PICTURE] },
];

/** Which kinds a file may be. */
export function kindsOf(name: string): typeof KINDS {
  return KINDS.filter((kind) => kind.fits.some((end) => end.test(name)));
}

/** Files that are dropped anywhere: one says what they are, and the station that knows them tells how it reads them. */
export function Dropping() {
  const { plan } = usePlan();
  const { open, carry } = useWorkbench();
  const [files, setFiles] = useState<File[]>([]);
  const [over, setOver] = useState(false);
  useEffect(() => {
    const carriesFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files");
    const dragged = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const left = (event: DragEvent) => !event.relatedTarget && setOver(false);
    const dropped = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(false);
      setFiles([...(event.dataTransfer?.files ?? [])]);
    };
    window.addEventListener("dragover", dragged);
    window.addEventListener("dragleave", left);
    window.addEventListener("drop", dropped);
    return () => {
      window.removeEventListener("dragover", dragged);
      window.removeEventListener("dragleave", left);
      window.removeEventListener("drop", dropped);
    };
  }, []);
  const [file, ...beside] = files;
  const kinds = file ? kindsOf(file.name) : [];
  const take = (to: Carried["to"]) => {
    carry({ to, fields: { file: file!, beside } });
    setFiles([]);
    if (plan.brief.crs) open(...STATION_OF[to]);
    else open("brief");
  };
  if (over)
    return (
      <p className="pointer-events-none fixed inset-x-0 top-12 z-30 mx-auto w-fit border-2 border-decision bg-sheet px-4 py-2 font-bold">
        Drop it anywhere: you then say what it is.
      </p>
    );
  const name = file && `${file.name}${beside.length ? ` and ${beside.length} more` : ""}`;
  return (
    <Panel
      open={!!file}
      onClose={() => setFiles([])}
      title={kinds.length ? `${name}: what is it?` : `${name} is no file that the sheet takes`}
    >
      {!kinds.length && (
        <p className="mt-1">
          It takes maps (GeoJSON, KML, GPX, GeoPackage, Shapefile, DXF), lists (CSV), GeoTIFF and pictures. Logs of
          receivers and residuals are read in Close.
        </p>
      )}
      <ul className="mt-2 grid gap-1">
        {kinds.map(({ to, name }) => (
          <li key={to}>
            <button className="button w-full justify-between" onClick={() => take(to)}>
              {name} <span className="text-sm">{STATIONS[STATION_OF[to][0]].title}</span>
            </button>
          </li>
        ))}
      </ul>
      <button className="button mt-2" onClick={() => setFiles([])}>
        Discard
      </button>
    </Panel>
  );
}
