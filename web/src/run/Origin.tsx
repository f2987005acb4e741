/** Where a run that was not measured here came from, and whether it counts. */
import type { RunDetail } from "../api/client";
import { LetIn } from "../logs/LetIn";

interface CameFrom {
  file?: string;
  part?: string;
  first_line?: number;
  by?: string;
  unknown?: string[];
  broken?: number;
}

export function Origin(props: { run: RunDetail }) {
  const { run } = props;
  if (run.run.origin !== "brought in") return null;
  const from = run.import_source as CameFrom;
  const unknown = from.unknown ?? [];
  return (
    <section
      aria-label="where it came from"
      className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line bg-card px-6 py-2"
    >
      <p>
        <b>Brought in</b> from “{from.file}”{from.part && `, the part “${from.part}”`}
        {from.first_line !== undefined && from.first_line > 1 && `, from line ${from.first_line}`}
        {from.broken ? `, with ${from.broken} broken lines left out` : ""}, by {from.by}.{" "}
        {unknown.length > 0
          ? `Not known: ${unknown.join(", ")}.`
          : "The facts of its machine came with it."}
      </p>
      {run.run.acceptance_reason ? (
        <p className="text-ink-2">It counts: {run.run.acceptance_reason}</p>
      ) : (
        <p className="text-ink-2">It is kept apart from the measured runs.</p>
      )}
      {!run.run.acceptance_reason && <LetIn study={run.study} runs={[run.run.id]} />}
    </section>
  );
}
