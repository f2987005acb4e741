/** The order of releases, as their names say or as a person does: a line a release, oldest first. */
import { useState } from "react";
import type { ReleaseLine } from "../api/lines";
import { useMayChange } from "../api/people";
import { useChangeSubject } from "../api/workshop";

export function Order(props: { subject: number; line: ReleaseLine }) {
  const names = props.line.releases.map((one) => one.name);
  const [text, setText] = useState(names.join("\n"));
  const may = useMayChange();
  const change = useChangeSubject(props.subject);
  if (!may) return null;
  const said = text
    .split("\n")
    .map((name) => name.trim())
    .filter(Boolean);
  const keep = (release_order: string[]) => change.mutate({ release_order });
  return (
    <details className="mt-3">
      <summary className="cursor-pointer text-ink-2">The order of releases</summary>
      <p className="mt-1 text-[12px] text-ink-2">
        Oldest first, a line each. Releases that are not named here come last, by their names.
      </p>
      <textarea
        aria-label="order of releases"
        className="field mt-1 w-full font-mono text-[12px]"
        rows={6}
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <p>
        <button
          type="button"
          className="act"
          disabled={change.isPending || said.join() === names.join()}
          onClick={() => keep(said)}
        >
          Keep this order
        </button>{" "}
        <button type="button" className="act" disabled={change.isPending} onClick={() => keep([])}>
          By their names
        </button>
      </p>
      {change.error && (
        <p role="alert" className="text-behind">
          {change.error.message}
        </p>
      )}
    </details>
  );
}
