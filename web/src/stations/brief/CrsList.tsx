import { Popover } from "radix-ui";
import type { RefObject } from "react";
import type { CrsLine } from "../../api/client";

/** What was found for what is typed, below its field; fetched when something is typed. */
export function CrsList(props: {
  id: string;
  label: string;
  anchor: RefObject<HTMLInputElement | null>;
  found: CrsLine[];
  at: number;
  busy: boolean;
  nothing: string;
  onTake: (one: CrsLine) => void;
  onLeave: () => void;
}) {
  const { id, label, anchor, found, at, busy, nothing, onTake, onLeave } = props;
  return (
    <Popover.Root open>
      <Popover.Anchor virtualRef={anchor} />
      <Popover.Portal>
        <Popover.Content
          align="start"
          collisionPadding={8}
          onOpenAutoFocus={(event) => event.preventDefault()}
          onInteractOutside={onLeave}
          className="z-20 w-(--radix-popover-trigger-width) min-w-72 overflow-y-auto border border-ink bg-sheet"
          style={{ maxHeight: "min(var(--radix-popover-content-available-height), 320px)" }}
        >
          {!found.length && (
            <p role="status" className="px-2 py-1 text-quiet">
              {nothing}
            </p>
          )}
          <ul role="listbox" id={id} aria-label={label} aria-busy={busy}>
            {found.map((c, k) => (
              // keys are the field's above: up, down and Enter
              // eslint-disable-next-line jsx-a11y/click-events-have-key-events
              <li
                key={c.code}
                id={`${id}-${k}`}
                role="option"
                aria-selected={k === at}
                ref={k === at ? (row) => row?.scrollIntoView({ block: "nearest" }) : undefined}
                className={`cursor-pointer px-2 py-1 hover:bg-settled-wash ${k === at ? "bg-settled-wash" : ""}`}
                onClick={() => !busy && onTake(c)}
              >
                <span className="figures">{c.code}</span> {c.name}
                <span className="block truncate text-xs text-quiet">{c.area}</span>
                {c.missing && <span className="block text-xs text-decision-text">{c.missing}</span>}
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
