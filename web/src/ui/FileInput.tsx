/** A file to bring in, handed on as soon as it is chosen; the same one can be chosen again. */
export function FileInput(props: {
  id?: string;
  label?: string;
  accept?: string;
  disabled?: boolean;
  onFile: (file: File) => void;
}) {
  return (
    <input
      id={props.id}
      type="file"
      aria-label={props.label}
      accept={props.accept}
      disabled={props.disabled}
      className="max-w-full text-sm"
      onChange={(event) => {
        const [file] = event.target.files ?? [];
        event.target.value = "";
        if (file) props.onFile(file);
      }}
    />
  );
}
