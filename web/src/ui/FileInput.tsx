import { chosen } from "../api/client";

/** A file to bring in, handed on as soon as it is chosen, with its other parts where several may be chosen together; the same one can be chosen again. */
export function FileInput(props: {
  id?: string;
  label?: string;
  accept?: string;
  disabled?: boolean;
  several?: boolean;
  onFile: (file: File, beside: File[]) => void;
}) {
  return (
    <input
      id={props.id}
      type="file"
      aria-label={props.label}
      accept={props.accept}
      disabled={props.disabled}
      multiple={props.several}
      className="max-w-full text-sm"
      onChange={(event) => {
        const files = chosen(event.target.files);
        event.target.value = "";
        if (files) props.onFile(files.file, files.beside);
      }}
    />
  );
}
