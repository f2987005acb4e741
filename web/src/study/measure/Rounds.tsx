/** The rounds as they were taken; each run can be left out with a reason, or repeated. */
import { useState } from "react";
import { Link } from "react-router";
import type { RunSummary, Study } from "../../api/client";
import { useAbort, useLeaveOut, useRepeat, useTakeBackIn } from "../../api/queries";
import { isKeptApart } from "../../logs/KeptApart";
import { Acts } from "../../parts/Acts";
import { duration } from "../../parts/text";
import { VariantMark, VariantName, variantColour } from "../../parts/variants";
import { secondsOf } from "./remaining";

/** A line a round, newest first; each run at its place in the order it was taken. */
export function Rounds(props: { study: Study }) {
  const { study } = props;
  const [chosen, setChosen] = useState<number | null>(null);
  const rounds = [...new Set(study.runs.map((run) => run.round))].sort((a, b) => b - a);
  if (!rounds.length)
    return (
      <p className="mt-4 max-w-xl text-ink-2">
        Nothing has been measured yet. A round plays the session once on each variant. Differences
        need at least two warm rounds, and five tell much more.
      </p>
    );
  return (
    <table className="mt-3 w-full">
      <thead>
        <tr className="border-b border-line text-left text-[12px] text-ink-2">
          <th className="w-16 py-1 font-normal">round</th>
          <th className="font-normal">
            runs in the order taken; point at one to leave it out or repeat it
          </th>
        </tr>
      </thead>
      <tbody>
        {rounds.map((round) => {
          const runs = study.runs
            .filter((run) => run.round === round)
            .sort((a, b) => a.order_in_round - b.order_in_round);
          const open = runs.find((run) => run.id === chosen);
          return (
            <tr key={round} className="border-b border-line-2 align-top">
              <td className="py-1.5 font-medium">{runs[0]?.round_name}</td>
              <td className="py-1">
                <div className="flex flex-wrap gap-x-3">
                  {runs.map((run) => (
                    <RunCell
                      key={run.id}
                      run={run}
                      study={study}
                      open={run.id === chosen}
                      toggle={() => setChosen(run.id === chosen ? null : run.id)}
                    />
                  ))}
                </div>
                {open && <SetApart run={open} study={study} done={() => setChosen(null)} />}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

const settledRun = (run: RunSummary) => run.state === "measured" || run.state === "read";

function RunCell(props: { run: RunSummary; study: Study; open: boolean; toggle: () => void }) {
  const { run } = props;
  const abort = useAbort(props.study.id);
  const finished = run.outcome === "finished";
  const settled = settledRun(run);
  const counts = finished && !run.left_out;
  const seconds = secondsOf(run);
  const words = stateWords(run);
  const name = props.study.variants[run.variant]?.name ?? "";
  const body = (
    <>
      <svg width="14" height="14" viewBox="-7 -7 14 14" className="mt-0.5" aria-hidden="true">
        <VariantMark index={run.variant} x={0} y={0} hollow={!counts} />
      </svg>
      <span>
        <span className="font-semibold" style={{ color: variantColour(run.variant) }}>
          {name}
        </span>{" "}
        {run.level && <span className="font-dense">at {run.level} </span>}
        {run.purpose === "control" && <span className="font-dense">unsampled </span>}
        {run.purpose === "check" && <span className="font-dense">check </span>}
        {run.purpose === "filmed" && <span className="font-dense">filmed </span>}
        <span className="text-ink-2">{words}</span>
        {settled && seconds !== null && words === "" && (
          <span className={run.left_out ? "text-ink-3 line-through" : "text-ink-3"}>
            {" "}
            {duration(seconds)}
          </span>
        )}
        {((settled && !finished) || (run.state === "running" && run.detail)) && (
          <span className="block text-behind">{run.detail}</span>
        )}
        {run.repeats != null && <span className="text-ink-3"> repeats run {run.repeats}</span>}
      </span>
    </>
  );
  return (
    <div className="group flex w-[196px] gap-1.5 py-0.5">
      <div className="min-w-0 flex-1">
        {settled || run.state === "running" ? (
          <Link to={`/runs/${run.id}`} className="flex gap-1.5 hover:underline">
            {body}
          </Link>
        ) : (
          <span className="flex gap-1.5">{body}</span>
        )}
        {run.left_out && (
          <span className="block text-[12px] text-ink-2">
            {isKeptApart(run) ? "kept apart" : `left out: ${run.left_out}`}
          </span>
        )}
      </div>
      {run.state === "queued" && (
        <Acts>
          <button type="button" className="act" onClick={() => abort.mutate(run.id)}>
            withdraw
          </button>
        </Acts>
      )}
      {settled && (
        <Acts>
          <button
            type="button"
            className="act opacity-0 group-hover:opacity-100 focus:opacity-100"
            aria-label={`set run ${run.id} apart or repeat it`}
            aria-expanded={props.open}
            onClick={props.toggle}
          >
            apart
          </button>
        </Acts>
      )}
    </div>
  );
}

function stateWords(run: RunSummary): string {
  if (run.state === "running")
    return run.silent ? "its rig is silent; the record comes when it is back" : "runs now";
  if (run.state === "queued") return "waits";
  if (run.state === "withdrawn") return "withdrawn";
  if (run.unread) return "not read";
  if (run.state === "measured") return "is being read";
  return run.outcome === "finished" ? "" : run.outcome;
}

/** Leave a run out, take it back in, or repeat it; the reason stays with the run. */
function SetApart(props: { run: RunSummary; study: Study; done: () => void }) {
  const { run, study } = props;
  const leaveOut = useLeaveOut(study.id);
  const takeBack = useTakeBackIn(study.id);
  const repeat = useRepeat(study.id);
  const [reason, setReason] = useState("");
  // What the form is for is settled when it opens, not when the answer comes back.
  const [isOut] = useState(run.left_out !== "");
  const given = reason.trim();
  const failed = run.outcome !== "finished";
  const trouble = leaveOut.error ?? takeBack.error ?? repeat.error;
  const close = { onSuccess: props.done };
  if (isOut)
    return (
      <div className="my-1 flex items-center gap-2 border-l-2 border-brass bg-card px-3 py-2">
        <span className="flex-1">
          Run {run.id} is left out: {run.left_out}{" "}
          {run.left_out_by && <span className="text-ink-2">({run.left_out_by})</span>}
        </span>
        <button
          type="button"
          className="button-quiet"
          onClick={() => takeBack.mutate(run.id, close)}
        >
          Let it count again
        </button>
      </div>
    );
  return (
    <form
      className="my-1 border-l-2 border-brass bg-card px-3 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (given) leaveOut.mutate({ run: run.id, reason: given }, close);
      }}
    >
      <label className="block">
        <span className="text-ink-2">
          What went wrong in run {run.id},{" "}
          <VariantName index={run.variant} name={study.variants[run.variant]?.name ?? ""} />? A run
          is left out for what happened to it, never for its number.
        </span>
        <input
          // biome-ignore lint/a11y/noAutofocus: the form opens on request, to be typed into
          autoFocus
          className="field mt-1 w-full"
          maxLength={280}
          placeholder="the mail program started in the middle of it"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && props.done()}
        />
      </label>
      <div className="mt-2 flex gap-2">
        <button type="submit" className="button-quiet" disabled={!given}>
          Leave it out
        </button>
        <button
          type="button"
          className="button-quiet"
          disabled={!given && !failed}
          onClick={() => repeat.mutate({ run: run.id, reason: given }, close)}
        >
          {failed && !given ? "Repeat it" : "Leave it out and repeat it"}
        </button>
        <button type="button" className="act" onClick={props.done}>
          leave everything as it is
        </button>
      </div>
      {trouble && (
        <p role="alert" className="mt-1 text-behind">
          {trouble.message}
        </p>
      )}
    </form>
  );
}
