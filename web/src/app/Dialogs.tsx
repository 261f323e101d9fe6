import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { usePlan } from "./plan";

function Sheet({
  open,
  onClose,
  title,
  children,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 max-h-[85vh] w-[min(640px,92vw)] -translate-1/2 overflow-y-auto border border-ink bg-sheet p-5"
        >
          <Dialog.Title className="text-lg font-bold">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const KEYS: [string, string][] = [
  ["1 … 9", "open a station"],
  ["G", "place a control target (click, or Enter for the middle of the sheet)"],
  ["K", "place a check"],
  ["O", "place the base on a new mark"],
  ["A", "draw an area whose volume matters"],
  ["arrows", "nudge the chosen point 0.1 m; with Shift 1 m"],
  ["Delete", "remove the chosen point"],
  ["E", "next error layer"],
  ["[ and ]", "step through the findings"],
  ["P", "pin the prediction, to compare; again to let go"],
  ["Ctrl+Z, Ctrl+Shift+Z", "undo, redo"],
  ["Esc", "stop placing; choose nothing"],
  ["?", "this list"],
];

export function ShortcutSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Sheet open={open} onClose={onClose} title="Shortcuts">
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
    </Sheet>
  );
}

/** Somebody else changed the same thing: both versions side by side, and nothing lost either way. */
export function ConflictDialog() {
  const { conflict, settle } = usePlan();
  return (
    <Sheet open={!!conflict} onClose={() => settle("theirs")} title="Somebody else changed this meanwhile">
      <p className="mt-1 text-quiet">Your change has not been saved. Other things you changed are safe.</p>
      <table className="table mt-3">
        <thead>
          <tr>
            <th>object, field</th>
            <th>theirs, as it stands now</th>
            <th>yours</th>
          </tr>
        </thead>
        <tbody>
          {conflict?.theirs.flatMap(({ object, value }) => {
            const mine = conflict.mine.find((c) => c.object === object)?.value ?? {};
            const theirs = value ?? {};
            const fields = [...new Set([...Object.keys(theirs), ...Object.keys(mine)])];
            const different = fields.filter((f) => JSON.stringify(theirs[f]) !== JSON.stringify(mine[f]));
            return different.map((f) => (
              <tr key={object + f}>
                <td>
                  {object}, {f}
                </td>
                <td className="figures">{value ? JSON.stringify(theirs[f]).slice(0, 60) : "removed"}</td>
                <td className="figures">{JSON.stringify(mine[f] ?? "removed").slice(0, 60)}</td>
              </tr>
            ));
          })}
        </tbody>
      </table>
      <div className="mt-4 flex gap-2">
        <button className="button" onClick={() => settle("theirs")}>
          Keep theirs
        </button>
        <button className="button" onClick={() => settle("mine")}>
          Put mine on top
        </button>
      </div>
    </Sheet>
  );
}
