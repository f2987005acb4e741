/** Choosing one of the board's metrics: by step, as they are called there. */
import { byStep, type Named, rowKey, rowName } from "./read/rows";

/** What a row is called by itself: `1 % low in Scroll cloth`. */
export function fullName(row: Named): string {
  const { name, of } = rowName(row);
  const where = row.stretch.length > 1 ? ` in ${row.stretch[0]}` : "";
  return `${name}${of ? ` of ${of}` : ""}${where}`;
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
