import { scans } from "../stations/flight/parts";
import { usePlan } from "../app/plan";
import { useOverlay } from "../app/workbench/overlay";
import { useSelection } from "../app/workbench/selection";
import { TOOLS } from "../stations/registry";

/** What is placed under another name than the code has. */
const NAMES: Record<string, string> = { target: "control point", check: "check point" };

/** What can be placed, and which error layer is shown. */
export function ToolBar() {
  const { placing, setPlacing, setGoTo } = useSelection();
  const { layer, setLayer, covered } = useOverlay();
  const { plan } = usePlan();
  const bare = !plan.site.boundary.length;
  return (
    <div className="pointer-events-auto flex flex-wrap items-center gap-1">
      {TOOLS.map(({ places, key, words }) => (
        <button
          key={places}
          className="button text-sm"
          aria-pressed={placing === places}
          onClick={() => setPlacing(placing === places ? null : places)}
          title={`${bare && places === "area" ? "draw the boundary, corner by corner" : words} (${key})`}
        >
          <kbd className="figures opacity-75">{key}</kbd>{" "}
          {bare && places === "area" ? "boundary" : (NAMES[places] ?? places)}
        </button>
      ))}
      <select
        className="input text-sm"
        aria-label="Layer"
        value={covered ? "covered" : layer}
        disabled={!!covered}
        onChange={(event) => setLayer(event.target.value as typeof layer)}
        title="Error layer (E)"
      >
        {covered && <option value="covered">coverage</option>}
        <option value="v">height error</option>
        <option value="h">plan error</option>
        <option value="images">{scans(plan) ? "flight lines" : "images"}</option>
        <option value="none">no layer</option>
      </select>
      {!bare && (
        <button
          className="button text-sm"
          onClick={() => setGoTo({ whole: true })}
          title="the whole site on the sheet (Z)"
        >
          <kbd className="figures opacity-75">Z</kbd> whole site
        </button>
      )}
    </div>
  );
}
