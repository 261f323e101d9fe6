import type { ReactNode } from "react";

/** Takes something out of the plan; where it is needed, it says by what instead. */
export function Remove(props: { onClick: () => void; neededBy?: string; children?: ReactNode }) {
  return (
    <button
      className="cursor-pointer text-sm underline disabled:text-quiet disabled:no-underline"
      disabled={!!props.neededBy}
      title={props.neededBy}
      onClick={props.onClick}
    >
      {props.children ?? "remove"}
    </button>
  );
}

/** The head of a column that holds only buttons. */
export function ActionsHead() {
  return (
    <th>
      <span className="sr-only">actions</span>
    </th>
  );
}
