/** Choosing one of the board's metrics: by step, as they are called there. */
import { byStep, type Named, rowKey, rowName } from "./read/rows";

/** What a row is called by itself: `1 % low in Scroll cloth`; as `placed` of the core has it. */
export function fullName(row: Named): string {
  const { name, of } = rowName(row);
  const [step = "", ...inner] = row.stretch;
  const called = `${name}${of ? ` of ${of}` : ""}`;
  const apart = inner.length > 0 && step.toLowerCase() !== called.toLowerCase();
  return apart ? `${called} in ${step}` : called;
}

export function RowSelect<One extends Named>(props: {
  label: string;
  rows: One[];
  value?: string;
  choose: (row: One) => void;
  prompt?: string;
}) {
  return (
    <select
      aria-label={props.label}
      className="field max-w-80"
      value={props.value ?? ""}
      onChange={(event) => {
        const row = props.rows.find((candidate) => rowKey(candidate) === event.target.value);
        if (row) props.choose(row);
      }}
    >
      {props.prompt && <option value="">{props.prompt}</option>}
      {byStep(props.rows).map((group) => (
        <optgroup key={group.step} label={group.step}>
          {group.rows.map((row) => (
            <option key={rowKey(row)} value={rowKey(row)}>
              {rowName(row).name}
              {rowName(row).of && ` of ${rowName(row).of}`}
            </option>
          ))}
        </optgroup>
      ))}
    </select>
  );
}
