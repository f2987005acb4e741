/** A text that is changed where it stands: Enter or leaving keeps it, Escape brings it back. */
import { useEffect, useState } from "react";
import { useMayChange } from "../api/people";

export function InPlace(props: {
  label: string;
  value: string;
  keep: (value: string) => void;
  className?: string;
  multiline?: boolean;
  placeholder?: string;
  maxLength?: number;
  may?: (value: string) => boolean;
}) {
  const mayChange = useMayChange();
  const [text, setText] = useState(props.value);
  useEffect(() => setText(props.value), [props.value]);
  const may = (wanted: string) => props.may?.(wanted) ?? true;
  const good = may(text.trim());
  // What stands in the field, not what was drawn last: Enter may come before that is drawn.
  const keep = (event: React.FocusEvent<HTMLInputElement | HTMLTextAreaElement>) => {
    const wanted = event.currentTarget.value.trim();
    if (wanted === props.value) return;
    if (may(wanted)) props.keep(wanted);
    else setText(props.value);
  };
  const common = {
    "aria-label": props.label,
    "aria-invalid": !good,
    placeholder: props.placeholder,
    maxLength: props.maxLength,
    readOnly: !mayChange,
    value: text,
    className: `quiet-field ${good ? "" : "border-behind!"} ${props.className ?? ""}`,
    onChange: (event: React.ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) =>
      setText(event.target.value),
    onBlur: keep,
    onKeyDown: (event: React.KeyboardEvent<HTMLInputElement | HTMLTextAreaElement>) => {
      if (event.key === "Enter" && !event.shiftKey) {
        event.preventDefault();
        event.currentTarget.blur();
      }
      if (event.key === "Escape") {
        event.stopPropagation();
        setText(props.value);
      }
    },
  };
  return props.multiline ? (
    <textarea {...common} rows={Math.max(1, Math.ceil(text.length / 88))} />
  ) : (
    <input {...common} />
  );
}

/** A number above or at a least value, kept like a text in place. */
export function NumberInPlace(props: {
  label: string;
  value: number | null;
  keep: (value: number | null) => void;
  least?: number;
  most?: number;
  optional?: boolean;
  className?: string;
}) {
  const { least = 0, most = 1e9 } = props;
  const may = (text: string) => {
    if (text === "") return props.optional ?? false;
    const number = Number(text.replace(",", "."));
    return Number.isFinite(number) && number >= least && number <= most;
  };
  return (
    <InPlace
      label={props.label}
      value={props.value === null ? "" : String(Number(props.value.toPrecision(6)))}
      may={may}
      keep={(text) => props.keep(text === "" ? null : Number(text.replace(",", ".")))}
      className={`border-line! ml-0! text-right ${props.className ?? "w-14"}`}
    />
  );
}
