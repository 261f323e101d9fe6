import { TOOLS } from "../stations/registry";
import { Panel } from "../ui/Panel";

const KEYS: [string, string][] = [
  ["1 … 9", "open a station"],
  ["Alt+1 … 9", "open a view of it"],
  ["T, Shift+T", "raise the tray over the sheet, fold it away; again, as it was"],
  ...TOOLS.map(({ key, words }): [string, string] => [key, words]),
  ["arrows", "nudge the chosen point 0.1 m; with Shift 1 m"],
  ["Delete", "remove the chosen point"],
  ["E", "next error layer"],
  ["Z", "the whole site"],
  ["[ and ]", "step through the findings"],
  ["P", "pin the prediction, to compare; again to let go"],
  ["Ctrl+Z, Ctrl+Shift+Z", "undo, redo"],
  ["Esc", "stop placing; choose nothing"],
  ["?", "this list"],
];

/** What can be done by key. */
export function ShortcutSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Panel open={open} onClose={onClose} title="Shortcuts">
      <table className="table mt-3">
        <tbody>
          {KEYS.map(([key, words]) => (
            <tr key={key}>
              <td className="figures w-48 whitespace-nowrap">{key}</td>
              <td>{words}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <button className="button mt-4" onClick={onClose}>
        Close
      </button>
    </Panel>
  );
}
