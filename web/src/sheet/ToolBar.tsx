import { useWorkbench, type Placing } from "../app/workbench";

const TOOLS: [Exclude<Placing, null>, string, string][] = [
  ["target", "G", "Place a control target"],
  ["check", "K", "Place a check"],
  ["base", "O", "Place the base on a new mark"],
  ["area", "A", "Draw an area whose volume matters, corner by corner"],
];

/** What can be placed, and which error layer is shown. */
export function ToolBar() {
  const { placing, setPlacing, layer, setLayer } = useWorkbench();
  return (
    <div className="absolute top-[18px] left-[38px] flex items-center gap-1">
      {TOOLS.map(([kind, key, words]) => (
        <button
          key={kind}
          className="button text-sm"
          aria-pressed={placing === kind}
          onClick={() => setPlacing(placing === kind ? null : kind)}
          title={`${words}: click on the sheet, or Enter for its middle (${key})`}
        >
          <kbd className="figures opacity-75">{key}</kbd> {kind}
        </button>
      ))}
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
