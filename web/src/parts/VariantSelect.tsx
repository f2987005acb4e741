/** One of a study's variants, chosen by name. */
import type { Study } from "../api/client";

export function VariantSelect(props: {
  study: Study;
  label: string;
  value: number;
  choose: (position: number) => void;
}) {
  return (
    <select
      aria-label={props.label}
      className="field"
      value={props.value}
      onChange={(event) => props.choose(Number(event.target.value))}
    >
      {props.study.variants.map((one) => (
        <option key={one.name} value={one.position}>
          {one.name}
        </option>
      ))}
    </select>
  );
}
