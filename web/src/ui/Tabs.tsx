import type { ReactNode } from "react";

/** One of several to be looked at, and beside them what can be done to them all. */
export function Tabs(props: {
  label: string;
  tabs: readonly { id: string; name: string }[];
  chosen: string | undefined;
  onChoose: (id: string) => void;
  children?: ReactNode;
}) {
  return (
    <div className="mb-2 flex flex-wrap items-center gap-2">
      <div className="flex flex-wrap gap-2" role="tablist" aria-label={props.label}>
        {props.tabs.map(({ id, name }) => (
          <button
            key={id}
            role="tab"
            aria-selected={id === props.chosen}
            className="button"
            onClick={() => props.onChoose(id)}
          >
            {name}
          </button>
        ))}
      </div>
      {props.children}
    </div>
  );
}
