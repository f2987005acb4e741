/** Numbers from elsewhere, typed in or pasted from a sheet: marked, and judged where they repeat. */
import { useState } from "react";
import type { Study } from "../api/client";
import { useMayChange } from "../api/people";
import { useTypeIn } from "../api/sessions";
import { typedNumbers } from "./typed";

/** More is no list of numbers that somebody typed. */
const MOST_BYTES = 200_000;

export function TypeIn(props: { study: Study }) {
  const { study } = props;
  const may = useMayChange();
  const keep = useTypeIn(study.id);
  const [name, setName] = useState("");
  const [unit, setUnit] = useState("");
  const [source, setSource] = useState("");
  const [higher, setHigher] = useState(true);
  const [text, setText] = useState("");
  if (!may) return null;
  const read = typedNumbers(
    text,
    study.variants.map((one) => one.name),
  );
  const ready = name.trim() && unit.trim() && read.numbers.length > 0 && !read.problems.length;
  return (
    <details className="mt-4">
      <summary className="cursor-pointer">Type in numbers from elsewhere</summary>
      <form
        className="mt-1 flex flex-col gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate(
            {
              name: name.trim(),
              unit: unit.trim(),
              source,
              higher_is_better: higher,
              numbers: read.numbers,
            },
            { onSuccess: () => setText("") },
          );
        }}
      >
        <p className="flex gap-2">
          <input
            aria-label="what was read"
            className="field min-w-0 flex-1"
            maxLength={60}
            placeholder="loom score"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <input
            aria-label="unit"
            className="field w-24"
            maxLength={20}
            placeholder="points"
            value={unit}
            onChange={(e) => setUnit(e.target.value)}
          />
          <select
            aria-label="better side"
            className="field"
            value={higher ? "more" : "less"}
            onChange={(e) => setHigher(e.target.value === "more")}
          >
            <option value="more">more is better</option>
            <option value="less">less is better</option>
          </select>
        </p>
        <input
          aria-label="where they stood"
          className="field"
          maxLength={120}
          placeholder="where they stood: a sheet, another program"
          value={source}
          onChange={(e) => setSource(e.target.value)}
        />
        <textarea
          aria-label="numbers"
          className="field font-mono text-[12px]"
          rows={3}
          placeholder={`${study.variants[0]?.name ?? "variant"}, 1240, 1251`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <label className="text-[12px]">
          <span className="act">Or take a file</span>{" "}
          <span className="text-ink-2">CSV: a variant and its numbers in each line</span>
          <input
            type="file"
            aria-label="a file of numbers"
            className="sr-only"
            accept=".csv,.tsv,.txt,text/csv,text/plain"
            onChange={async (event) => {
              const [file] = event.target.files ?? [];
              event.target.value = "";
              if (!file) return;
              setText((await file.slice(0, MOST_BYTES).text()).replace("\uFEFF", ""));
              setSource((now) => now || file.name.slice(0, 120));
            }}
          />
        </label>
        {read.problems.slice(0, 3).map((one) => (
          <p key={one} className="text-behind">
            {one}
          </p>
        ))}
        <p className="text-[12px] text-ink-2">
          A line a variant, its repeats after it. One number has no interval: it is shown, and said
          to be single.
        </p>
        <button type="submit" className="act self-start" disabled={!ready || keep.isPending}>
          Keep {read.numbers.length || ""} as readings
        </button>
        {keep.error && (
          <p role="alert" className="text-behind">
            {keep.error.message}
          </p>
        )}
        {keep.data && <p role="status">kept: {keep.data.runs.length} readings, marked typed in</p>}
      </form>
    </details>
  );
}
