import type { Catalogue } from "../api/client";
import { STATION_OF } from "../stations/reading";
import { STATIONS } from "../stations/registry";
import { Panel } from "../ui/Panel";
import { usePlan } from "./plan";
import { type Carried, useNavigation } from "./workbench/navigation";

/** What a dropped file may be; the station's reader looks at what is in it. */
const KINDS: { to: Carried["to"]; name: string }[] = [
  { to: "boundary", name: "the boundary of the site" },
  { to: "points", name: "control points" },
  { to: "features", name: "what stands on the site" },
  { to: "flown", name: "what was flown: photo positions or a track" },
  { to: "terrain", name: "the terrain" },
  { to: "backdrop", name: "a picture of the site" },
];

/** Which kinds a file may be, by the end of its name: what the reader of each takes. */
function kindsOf(name: string, accepted: Catalogue["files"]["accepted"]): typeof KINDS {
  const end = name.slice(name.lastIndexOf(".")).toLowerCase();
  return KINDS.filter(({ to }) => accepted[to]?.includes(end));
}

/** What dropped files are is said by whoever dropped them. */
export function Dropped({ files, onDone }: { files: File[]; onDone: () => void }) {
  const { plan, catalogue } = usePlan();
  const { open, carry } = useNavigation();
  const [file, ...beside] = files;
  const kinds = kindsOf(file!.name, catalogue.files.accepted);
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
          It takes maps ({catalogue.files.formats.join(", ")}), lists (CSV), GeoTIFF and pictures. Logs of receivers and
          residuals are read in Close.
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
