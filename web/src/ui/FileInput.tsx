import { useQueryClient } from "@tanstack/react-query";
import { chosen, type Catalogue } from "../api/client";

/** A file to bring in, handed on as soon as it is chosen, with its other parts where several may be chosen together; the same one can be chosen again.
 * The browser's own "no file chosen" would stand there for ever, for nothing is kept: so the button alone is drawn, and the input lies over it. */
export function FileInput(props: {
  id?: string;
  label?: string;
  words?: string;
  /** What reads it, as the catalogue has it: only such files are offered. */
  reads?: string;
  accept?: string;
  camera?: boolean;
  disabled?: boolean;
  several?: boolean;
  className?: string;
  onFile: (file: File, beside: File[]) => void;
}) {
  const known = useQueryClient().getQueryData<Catalogue>(["catalogue"]);
  const accept = props.accept ?? (props.reads && known?.files.accepted[props.reads]?.join(","));
  return (
    <span
      className={`button relative focus-within:outline-2 focus-within:outline-offset-2 ${props.disabled ? "text-quiet" : ""} ${props.className ?? ""}`}
    >
      {props.words ?? "file…"}
      <input
        id={props.id}
        type="file"
        aria-label={props.label}
        accept={accept}
        capture={props.camera && "environment"}
        disabled={props.disabled}
        multiple={props.several}
        className="absolute inset-0 cursor-pointer opacity-0 file:h-full file:cursor-pointer"
        onChange={(event) => {
          const files = chosen(event.target.files);
          event.target.value = "";
          if (files) props.onFile(files.file, files.beside);
        }}
      />
    </span>
  );
}
