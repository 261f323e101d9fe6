/** What has to be accepted of a transformation before anything that came by it is taken. */
export function Approximate(props: {
  words: string;
  what: string;
  accepted: boolean;
  onAccept: (yes: boolean) => void;
}) {
  if (!props.words) return null;
  return (
    <label className="mt-1 flex gap-2 border-l-4 border-decision px-2 py-1">
      <input type="checkbox" checked={props.accepted} onChange={(event) => props.onAccept(event.target.checked)} />
      <span>
        <strong>This transformation is approximate.</strong> {props.words} That is good enough for {props.what}.
      </span>
    </label>
  );
}
