/** Words of one's own at a section: written in place in Markdown, with numbers that stay true. */
import { useRef, useState } from "react";
import type { Reference } from "../../api/report";
import { VariantName } from "../../parts/variants";
import { begunReference } from "./arrangement";

const MOST_SHOWN = 8;

export function Words(props: {
  label: string;
  text: string;
  numbers: Reference[];
  variants: string[];
  keep: (text: string) => void;
  close: () => void;
}) {
  const [text, setText] = useState(props.text);
  const [caret, setCaret] = useState(props.text.length);
  const [chosen, setChosen] = useState(0);
  const [form, setForm] = useState(0);
  const field = useRef<HTMLTextAreaElement>(null);
  const begun = begunReference(text, caret);
  const shown = begun
    ? props.numbers
        .filter((one) =>
          `${one.label} ${props.variants[one.variant]}`.toLowerCase().includes(begun.typed.trim()),
        )
        .slice(0, MOST_SHOWN)
    : [];
  const keep = () => {
    if (text !== props.text) props.keep(text);
    props.close();
  };
  const insert = (one: Reference) => {
    if (!begun) return;
    const forms = Object.keys(one.forms);
    const written = forms[form % forms.length] ?? "";
    const next = `${text.slice(0, begun.from)}${written}${text.slice(caret)}`;
    const at = begun.from + written.length;
    setText(next);
    setCaret(at);
    setForm(0);
    setChosen(0);
    requestAnimationFrame(() => field.current?.setSelectionRange(at, at));
  };
  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.key === "Escape") {
      event.stopPropagation();
      if (begun && shown.length) setCaret(0);
      else props.close();
      return;
    }
    if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
      keep();
      return;
    }
    const one = shown[chosen];
    if (!one) return;
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step) setChosen((chosen + step + shown.length) % shown.length);
    else if (event.key === "Tab") setForm(form + 1);
    else if (event.key === "Enter") insert(one);
    else return;
    event.preventDefault();
  };
  return (
    <div className="mx-10 my-2 border-l-4 border-brass bg-brass-soft/40 py-1 pl-2.5">
      <textarea
        ref={field}
        aria-label={props.label}
        // biome-ignore lint/a11y/noAutofocus: it was opened to be written in
        autoFocus
        rows={Math.max(3, text.split("\n").length + 1)}
        maxLength={8000}
        className="w-full resize-y bg-transparent outline-none"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setCaret(event.target.selectionStart);
          setChosen(0);
        }}
        onSelect={(event) => setCaret(event.currentTarget.selectionStart)}
        onKeyDown={onKeyDown}
      />
      {shown.length > 0 && (
        <ul aria-label="numbers" className="mr-2 border-y border-brass bg-card text-[12px]">
          {shown.map((one, place) => {
            const forms = Object.values(one.forms);
            const said = forms[(place === chosen ? form : 0) % forms.length];
            return (
              <li key={`${one.label}~${one.variant}`}>
                <button
                  type="button"
                  aria-current={place === chosen}
                  className={`flex w-full gap-3 px-2 py-0.5 text-left ${place === chosen ? "bg-brass-soft" : ""}`}
                  onMouseDown={(event) => {
                    event.preventDefault();
                    insert(one);
                  }}
                >
                  <span className="min-w-0 flex-1 truncate">{one.label}</span>
                  <VariantName index={one.variant} name={props.variants[one.variant] ?? ""} />
                  <span className="w-32 text-right font-semibold">{said}</span>
                </button>
              </li>
            );
          })}
        </ul>
      )}
      <p className="flex items-baseline gap-3 pr-2 text-[12px] text-ink-2">
        <span>
          <kbd>#</kbd> sets a number that stays true
        </span>
        {shown.length > 0 && (
          <span>
            <kbd>Tab</kbd> other form
          </span>
        )}
        <span className="flex-1">Markdown</span>
        <button type="button" className="act" onClick={props.close}>
          leave as it was
        </button>
        <button type="button" className="act font-semibold" onClick={keep}>
          keep <kbd>Ctrl Enter</kbd>
        </button>
      </p>
    </div>
  );
}
