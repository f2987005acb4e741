/** Which level of each factor a variant has, whether it works, and which cells cannot be. */
import { useState } from "react";
import type { Study } from "../api/client";
import { type Crossing, useCross } from "../api/crossing";
import { useMayChange } from "../api/people";
import { VariantName } from "../parts/variants";
import { WORKS } from "./cells";
import { proposedLevels } from "./levels";

export function Levels(props: { study: Study; crossing: Crossing }) {
  const { crossing, study } = props;
  const may = useMayChange();
  const cross = useCross(study.id);
  const [factor, setFactor] = useState(crossing.second_factor);
  const [missing, setMissing] = useState(crossing.missing);
  const [variants, setVariants] = useState(() => {
    const proposed = proposedLevels(crossing.variants.map((one) => one.name ?? ""));
    const said = crossing.variants.some((one) => one.first);
    return crossing.variants.map((one, n) => (said ? one : { ...one, ...proposed[n] }));
  });
  const change = (position: number, part: Partial<Crossing["variants"][number]>) =>
    setVariants((now) => now.map((one) => (one.position === position ? { ...one, ...part } : one)));
  const open = cellsWithout(variants, missing);
  const keep = () => cross.mutate({ second_factor: factor, variants, missing });
  return (
    <form
      className="mt-3 max-w-[860px]"
      onSubmit={(event) => {
        event.preventDefault();
        keep();
      }}
    >
      <p>
        <label>
          The factor is <b>{study.factor || "not named yet"}</b>, crossed with{" "}
          <input
            className="field w-48"
            value={factor}
            maxLength={60}
            placeholder="setting, driver, system …"
            onChange={(event) => setFactor(event.target.value)}
          />
        </label>
      </p>
      <table className="mt-2 w-full">
        <thead>
          <tr className="border-b border-line text-left text-[12px] text-ink-2">
            <th className="py-1 font-normal">variant</th>
            <th className="font-normal">{study.factor || "first factor"}</th>
            <th className="font-normal">{factor || "second factor"}</th>
            <th className="font-normal">does it work?</th>
            <th className="font-normal">remark</th>
          </tr>
        </thead>
        <tbody>
          {variants.map((one) => (
            <tr key={one.position} className="border-b border-line-2">
              <td className="py-1">
                <VariantName index={one.position} name={one.name ?? ""} />
              </td>
              {(["first", "second"] as const).map((part) => (
                <td key={part}>
                  <input
                    aria-label={`${part === "first" ? study.factor || "first factor" : factor || "second factor"} of ${one.name}`}
                    className="field w-32"
                    maxLength={60}
                    value={one[part]}
                    onChange={(event) => change(one.position, { [part]: event.target.value })}
                  />
                </td>
              ))}
              <td>
                <select
                  aria-label={`does ${one.name} work?`}
                  className="field"
                  value={one.works ?? ""}
                  onChange={(event) => change(one.position, { works: event.target.value })}
                >
                  <option value="">as its runs say</option>
                  {WORKS.map((word) => (
                    <option key={word}>{word}</option>
                  ))}
                </select>
              </td>
              <td>
                <input
                  aria-label={`remark on ${one.name}`}
                  className="field w-full"
                  maxLength={300}
                  value={one.note ?? ""}
                  onChange={(event) => change(one.position, { note: event.target.value })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {[...open.map((cell) => ({ ...cell, note: "" })), ...missing].map((cell) => (
        <p key={`${cell.first} ${cell.second}`} className="mt-1">
          <label>
            {cell.first} with {cell.second} has no variant:{" "}
            <input
              className="field w-72"
              maxLength={300}
              placeholder="why, if it cannot be"
              value={cell.note}
              onChange={(event) => {
                const note = event.target.value;
                const others = missing.filter(
                  (one) => one.first !== cell.first || one.second !== cell.second,
                );
                setMissing(note ? [...others, { ...cell, note }] : others);
              }}
            />
          </label>
        </p>
      ))}
      {may && (
        <button type="submit" className="act mt-2" disabled={cross.isPending}>
          {crossing.rows.length ? "Keep" : "Cross them"}
        </button>
      )}
      {cross.error && (
        <p role="alert" className="text-behind">
          {cross.error.message}
        </p>
      )}
    </form>
  );
}

/** Combinations of levels that no variant has, and that nobody has said anything of. */
function cellsWithout(
  variants: { first: string; second: string }[],
  missing: { first: string; second: string }[],
): { first: string; second: string }[] {
  const named = variants.filter((one) => one.first && one.second);
  const all = [...named, ...missing];
  const rows = [...new Set(all.map((one) => one.first))];
  const columns = [...new Set(all.map((one) => one.second))];
  return rows
    .flatMap((first) => columns.map((second) => ({ first, second })))
    .filter((cell) => !all.some((one) => one.first === cell.first && one.second === cell.second));
}
