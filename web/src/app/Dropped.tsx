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

/** What dropped files are is said by whoever dropped them. */
export function Dropped({ files, onDone }: { files: File[]; onDone: () => void }) {
  const { plan } = usePlan();
  const { open, carry } = useWorkbench();
  const [file, ...beside] = files;
  const kinds = kindsOf(file!.name);
  const take = (to: Carried["to"]) => {
    carry({ to, fields: { file: file!, beside } });
    onDone();
    if (plan.brief.crs) open(...STATION_OF[to]);
    else open("brief");
  };
  const name = `${file!.name}${beside.length ? ` and ${beside.length} more` : ""}`;
  return (
    <Panel
      open
      onClose={onDone}
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
      <button className="button mt-2" onClick={onDone}>
        Discard
      </button>
    </Panel>
  );
}
