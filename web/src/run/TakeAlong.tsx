/** Below the lanes: copy what is in view, see it as a table. */
import { useState } from "react";
import { copied, pngOf } from "../parts/clipboard";
import { nearbyTicks } from "../parts/ticks";
import { csvOf, type Drawing, svgOf } from "./copies";
import type { LaneState } from "./lanes";
import type { Lane, Shown } from "./series";
import type { RunView } from "./useRunView";

/** Files a run goes out as; what they hold is said in docs/logs.md. */
const EXPORTS = [
  ["csv", "CSV"],
  ["jsonl", "JSON Lines"],
  ["parquet", "Parquet"],
  ["captions", "captions"],
  ["spans", "spans"],
] as const;

export function TakeAlong(props: {
  runs: Shown[];
  lanes: Lane[];
  states: LaneState[];
  view: RunView;
}) {
  const { runs, view } = props;
  const [said, setSaid] = useState("");
  const open = props.lanes.filter(
    (lane) => !props.states.find((state) => state.id === lane.id)?.folded,
  );
  const drawing = (): Drawing => ({
    title: runs
      .filter((run) => run.visible)
      .map((run) => `${run.detail.variant_name}, run ${run.detail.run.id}`)
      .join(" · "),
    lanes: open,
    heights: open.map((lane) => props.states.find((state) => state.id === lane.id)?.height ?? 120),
    view: view.view,
    ticks: nearbyTicks(view.view.from, view.view.to, 10),
  });
  const take = async (kind: "SVG" | "PNG" | "CSV") => {
    const what = drawing();
    const name = `run-${runs[0]?.detail.run.id}.${kind.toLowerCase()}`;
    const content =
      kind === "CSV" ? csvOf(what) : kind === "SVG" ? svgOf(what) : await pngOf(svgOf(what));
    const done = await copied(content, name);
    setSaid(done === "copied" ? `${kind} copied` : `${name} saved`);
    window.setTimeout(() => setSaid(""), 3000);
  };
  return (
    <p className="mt-1 flex flex-wrap items-center gap-x-3">
      <span>
        copy what is in view as{" "}
        {(["SVG", "PNG", "CSV"] as const).map((kind) => (
          <button
            key={kind}
            type="button"
            className="mr-2 text-brass underline underline-offset-2"
            onClick={() => take(kind)}
          >
            {kind}
          </button>
        ))}
        <span role="status">{said}</span>
      </span>
      <span>
        take the chosen stretch along as{" "}
        {EXPORTS.map(([kind, name]) => (
          <a
            key={kind}
            className="mr-2 text-brass underline underline-offset-2"
            href={`/api/runs/${runs[0]?.detail.run.id}/export?kind=${kind}&from=${view.chosen.from}&to=${view.chosen.to}`}
            download
          >
            {name}
          </a>
        ))}
      </span>
      <button
        type="button"
        aria-pressed={view.table}
        className="text-brass underline underline-offset-2"
        onClick={() => view.say({ table: view.table ? null : "1" })}
      >
        {view.table ? "as lanes again" : "as a table"}
      </button>
    </p>
  );
}
