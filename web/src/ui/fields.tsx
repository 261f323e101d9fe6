import { createContext, useContext, useEffect, useId, useState, type ReactNode } from "react";
import { useExplained } from "./Glossary";
import { fine, fineFactor, length, parseLength, UNITS } from "../lib/units";

/** Whether what is shown is signed, so that nothing can be typed into it. */
export const Frozen = createContext(false);

/** One way to show a labelled field. */
export function Field({
  label,
  hint,
  children,
}: {
  label: string;
  hint?: string;
  children: (id: string) => ReactNode;
}) {
  const id = useId();
  const explained = useExplained(label);
  return (
    <div className="grid content-start gap-0.5" {...explained}>
      <label
        htmlFor={id}
        className={`text-sm text-quiet ${explained ? "underline decoration-dotted underline-offset-2" : ""}`}
      >
        {label}
      </label>
      {children(id)}
      {hint && <p className="text-xs text-quiet">{hint}</p>}
    </div>
  );
}

interface CommitProps {
  id?: string;
  label?: string;
  text: string;
  /** The value typed, or null when it cannot be read. */
  read: (text: string) => (() => void) | null;
  className?: string;
  width?: string;
  placeholder?: string;
}

/** A field that is sent when left or on Enter, stays as typed when it cannot be read, and goes back on Escape. */
export function CommitField({ id, label, text, read, className = "", width = "w-24", placeholder }: CommitProps) {
  const frozen = useContext(Frozen);
  const [typed, setTyped] = useState(text);
  const [bad, setBad] = useState(false);
  /** What the typing began on; a change from elsewhere does not take away what is being typed. */
  const [began, setBegan] = useState<string | null>(null);
  useEffect(() => {
    if (began !== null) return;
    setTyped(text);
    setBad(false);
  }, [text, began]);
  const overtaken = began !== null && began !== text;
  const commit = () => {
    if (typed !== text) {
      const send = read(typed);
      setBad(!send);
      if (!send) return;
      send();
    }
    setBegan(null);
  };
  const wrong = bad
    ? "cannot be read; nothing was changed"
    : overtaken
      ? `changed to ${text} meanwhile: Enter puts yours on top, Escape takes theirs`
      : "";
  return (
    <>
      <input
        id={id}
        aria-label={label}
        aria-invalid={!!wrong}
        className={`input ${width} ${className}`}
        placeholder={placeholder}
        readOnly={frozen}
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setBegan((before) => before ?? text);
        }}
        onBlur={commit}
        onKeyDown={(event) => {
          // taken and left, so that the next key is a shortcut again; what cannot be read stays to be mended
          if (event.key === "Enter" && (typed === text || read(typed))) event.currentTarget.blur();
          else if (event.key === "Enter") commit();
          if (event.key === "Escape") {
            setTyped(text);
            setBegan(null);
            setBad(false);
          }
          if (event.key === "ArrowDown" || event.key === "ArrowUp")
            moveInColumn(event.currentTarget, event.key === "ArrowDown" ? 1 : -1);
        }}
      />
      {wrong && (
        <span role="alert" className="block max-w-40 text-xs text-decision-text">
          {wrong}
        </span>
      )}
    </>
  );
}

/** Up and down go along the column of a table, as in a spreadsheet. */
function moveInColumn(input: HTMLInputElement, direction: number) {
  const cell = input.closest("td");
  const row = cell?.parentElement;
  const next = direction > 0 ? row?.nextElementSibling : row?.previousElementSibling;
  if (!cell || !next) return;
  next.children[[...row!.children].indexOf(cell)]?.querySelector("input")?.focus();
}

export function TextField(props: {
  id?: string;
  label?: string;
  value: string;
  onCommit: (v: string) => void;
  width?: string;
  /** Whether it may be left empty. */
  optional?: boolean;
}) {
  const { optional, ...rest } = props;
  return (
    <CommitField
      {...rest}
      text={props.value}
      read={(text) => (text.trim() || optional ? () => props.onCommit(text.trim()) : null)}
    />
  );
}

interface NumberProps {
  id?: string;
  label?: string;
  value: number | null;
  onCommit: (value: number) => void;
  /** Where the number may be left empty. */
  onClear?: () => void;
  placeholder?: string;
  decimals?: number;
  scale?: number;
  width?: string;
}

/** A plain number; scale turns what is shown into what is kept (1000: shown in mm, kept in m). */
export function NumberField({ value, onCommit, onClear, decimals = 1, scale = 1, ...rest }: NumberProps) {
  return (
    <CommitField
      {...rest}
      className="figures text-right"
      text={value === null ? "" : (value * scale).toFixed(decimals)}
      read={(text) => {
        if (onClear && !text.trim()) return onClear;
        const typed = Number(text.replace(",", "."));
        return text.trim() && Number.isFinite(typed) ? () => onCommit(typed / scale) : null;
      }}
    />
  );
}

/** A small length in the job's manner: millimetres, or feet to the thousandth. Any unit may be typed; kept in metres. */
export function FineField(props: {
  id?: string;
  label?: string;
  value: number | null;
  unit: string;
  onCommit: (metres: number) => void;
  width?: string;
  decimals?: number;
}) {
  const { value, unit, onCommit, decimals, ...rest } = props;
  return (
    <CommitField
      {...rest}
      className="figures text-right"
      text={value === null ? "" : fine(value, unit, decimals)}
      read={(text) => {
        const bare = Number(text.replace(",", "."));
        const metres =
          text.trim() && Number.isFinite(bare) ? bare / fineFactor(unit) : parseLength(text, unit === "m" ? "m" : unit);
        return metres === null || !text.trim() ? null : () => onCommit(metres);
      }}
    />
  );
}

/** A length in the job's unit; any unit may be typed and is converted. */
export function LengthField(props: {
  id?: string;
  label?: string;
  value: number | null;
  unit: string;
  /** Metres, and the text that was typed for them. */
  onCommit: (metres: number | null, typed: string) => void;
  decimals?: number;
  optional?: boolean;
  /** Shown in italics: a value that was not typed but follows from something else. */
  quiet?: boolean;
  width?: string;
  placeholder?: string;
}) {
  const { value, unit, onCommit, decimals = 3, optional } = props;
  return (
    <CommitField
      id={props.id}
      label={props.label}
      width={props.width}
      placeholder={props.placeholder}
      className={`figures text-right ${props.quiet ? "italic text-quiet" : ""}`}
      text={value === null ? "" : length(value, unit, decimals)}
      read={(text) => {
        if (optional && !text.trim()) return () => onCommit(null, "");
        const metres = parseLength(text, unit);
        return metres === null ? null : () => onCommit(metres, text.trim());
      }}
    />
  );
}

export function Select<T extends string>(props: {
  id?: string;
  label?: string;
  value: T;
  options: { id: string; name: string }[];
  onChange: (value: T) => void;
  className?: string;
}) {
  const frozen = useContext(Frozen);
  return (
    <select
      id={props.id}
      aria-label={props.label}
      disabled={frozen}
      className={`input max-w-52 ${props.className ?? ""}`}
      value={props.value}
      onChange={(event) => props.onChange(event.target.value as T)}
    >
      {props.options.map((o) => (
        <option key={o.id} value={o.id}>
          {o.name}
        </option>
      ))}
    </select>
  );
}

export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div>
      <dt className="text-sm text-quiet">{name}</dt>
      <dd className="figures">{children}</dd>
    </div>
  );
}

export function unitName(unit: string): string {
  return UNITS[unit]!.short;
}
