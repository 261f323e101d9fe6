import { useLayoutEffect, useRef } from "react";
import { usePlan } from "./plan";
import { fieldEdits, removed, valueAt } from "../lib/edits";
import { STATION_IDS } from "../stations/ids";
import { STATIONS, TOOLS } from "../stations/registry";
import type { Posture } from "./Job";
import { useNavigation } from "./workbench/navigation";
import { LAYERS, useOverlay } from "./workbench/overlay";
import { usePins } from "./workbench/pins";
import { useSelection } from "./workbench/selection";

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-0.1, 0],
  ArrowRight: [0.1, 0],
  ArrowUp: [0, 0.1],
  ArrowDown: [0, -0.1],
};

function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement && (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.isContentEditable)
  );
}

const GATHERED_MS = 700; // from the last arrow press to the step that holds them all

/** The keyboard of the whole window. Keys typed into a field stay there. */
export function useShortcuts(showHelp: (show: boolean) => void, stand: (posture: Posture) => void) {
  const { plan, step, edit, findings, trial } = usePlan();
  const navigation = useNavigation();
  const selection = useSelection();
  const { layer, setLayer } = useOverlay();
  const { setPinning } = usePins();
  const finding = useRef(-1);
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null);

  // before anything else sees what was drawn: a key pressed then means what is on the screen
  useLayoutEffect(() => {
    const { selected, select, draft, setDraft, setPlacing, setGoTo } = selection;
    const { station, open, openView } = navigation;

    /** Arrow presses gather into one step, so that one undo takes the whole nudge back. */
    function nudge(de: number, dn: number) {
      const at = draft?.object === selected ? draft : place(selected);
      if (!at || !selected) return false;
      const next = { object: selected, e: fixed(at.e + de), n: fixed(at.n + dn) };
      setDraft(next);
      const edits = () => fieldEdits(plan, selected, { e: next.e, n: next.n });
      if (selected.startsWith("control/")) trial.ask(edits());
      if (timer.current) clearTimeout(timer.current);
      timer.current = setTimeout(() => {
        timer.current = null;
        void edit(edits());
        setDraft(null);
      }, GATHERED_MS);
      return true;
    }

    /** A nudge that is still gathering is all that an undo takes back. */
    function dropNudge() {
      if (!timer.current) return false;
      clearTimeout(timer.current);
      timer.current = null;
      setDraft(null);
      trial.clear();
      return true;
    }

    function place(object: string | null) {
      return object ? (valueAt(plan, object) as { e: number; n: number } | null) : null;
    }

    function remove() {
      if (!selected?.startsWith("control/") || !place(selected)) return false;
      void edit([removed(plan, selected)]);
      select(null);
      return true;
    }

    function stepFinding(direction: number) {
      const found = findings ?? [];
      if (!found.length) return false;
      finding.current = (finding.current + direction + found.length) % found.length;
      const f = found[finding.current]!;
      open(f.station);
      if (f.object) select(f.object);
      return true;
    }

    function act(event: KeyboardEvent): boolean {
      const key = event.key;
      if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === "z") {
        if (event.shiftKey || !dropNudge()) void step(event.shiftKey ? "redo" : "undo");
        return true;
      }
      if (event.altKey && /^Digit[1-9]$/.test(event.code)) {
        const view = STATIONS[station].views?.[Number(event.code.slice(5)) - 1];
        if (view) openView(view.id);
        return !!view;
      }
      if (event.ctrlKey || event.metaKey || event.altKey) return false;
      if (/^[1-9]$/.test(key)) {
        open(STATION_IDS[Number(key) - 1]!);
        return true;
      }
      const arrow = ARROWS[key];
      if (arrow) return nudge(arrow[0] * (event.shiftKey ? 10 : 1), arrow[1] * (event.shiftKey ? 10 : 1));
      const actions: Record<string, () => boolean | void> = {
        ...Object.fromEntries(TOOLS.map((t) => [t.key.toLowerCase(), () => setPlacing(t.places)])),
        e: () => setLayer(LAYERS[(LAYERS.indexOf(layer) + 1) % LAYERS.length]!),
        p: () => setPinning(true),
        z: () => setGoTo({ whole: true }),
        "[": () => stepFinding(-1),
        "]": () => stepFinding(1),
        "?": () => showHelp(true),
        t: () => stand(event.shiftKey ? "folded" : "raised"),
        Delete: remove,
        Backspace: remove,
        Escape: () => {
          setPlacing(null);
          select(null);
        },
      };
      const action = actions[key.length === 1 ? key.toLowerCase() : key];
      return action ? action() !== false : false;
    }

    const listen = (event: KeyboardEvent) => {
      if (typing(event.target)) return;
      if (act(event)) event.preventDefault();
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, [navigation, selection, layer, setLayer, setPinning, plan, findings, trial, step, edit, showHelp, stand]);
}

function fixed(value: number): number {
  return Math.round(value * 1000) / 1000;
}
