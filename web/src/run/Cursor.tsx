/** The one cursor through all lanes, and what the runs were doing at that moment. */
import { significant, THIN } from "../parts/text";
import { nearest } from "./nearest";
import { colourOf, type Shown } from "./series";

export function Cursor(props: { at: number; x: number; width: number; runs: Shown[] }) {
  const { at, runs } = props;
  const left = props.x > props.width - 220;
  const shown = runs.filter((run) => run.visible);
  return (
    <div
      data-testid="cursor"
      className="pointer-events-none absolute top-[34px] bottom-6 z-10 border-l-[1.5px] border-brass"
      style={{ left: props.x }}
    >
      <div
        className={`absolute top-[72px] w-[200px] rounded-sm bg-head px-2.5 py-1.5 text-[12px] text-head-ink ${
          left ? "right-2" : "left-2"
        }`}
      >
        <div className="font-mono font-semibold">
          {at.toFixed(3)}
          {THIN}s
        </div>
        {shown.map((run) => (
          <Then key={run.detail.run.id} run={run} at={at - run.shift} several={runs.length > 1} />
        ))}
      </div>
    </div>
  );
}

/** One run at a moment of its own time. */
function Then(props: { run: Shown; at: number; several: boolean }) {
  const { run, at } = props;
  const trace = run.trace;
  if (!trace) return null;
  const ms = trace.frames.high[nearest(trace.frames.at_s, at)];
  const cores = valueAt(run, "subject.processor", at);
  const memory = valueAt(run, "subject.resident", at);
  const place = trace.inputs.at_s.findLastIndex((input) => input <= at);
  const since = at - (trace.inputs.at_s[place] ?? Number.NEGATIVE_INFINITY);
  return (
    <div className={props.several ? "mt-1 border-t border-ink-2 pt-1" : ""}>
      {props.several && (
        <div className="flex items-center gap-1.5">
          <span className="inline-block h-[3px] w-4" style={{ background: colourOf(run) }} />
          run {run.detail.run.id}
        </div>
      )}
      {ms !== undefined && (
        <div>
          frame {significant(ms)}
          {THIN}ms ({significant(1000 / ms)}
          {THIN}fps)
        </div>
      )}
      <div className="text-head-ink-2">
        {cores !== undefined && `${significant(cores, 2)}${THIN}cores`}
        {memory !== undefined && ` · ${significant(memory)}${THIN}MiB`}
      </div>
      {since < 1 && (
        <div className="text-head-ink-2">
          {significant(since * 1000)}
          {THIN}ms after {trace.inputs.what[place]}
        </div>
      )}
    </div>
  );
}

function valueAt(run: Shown, name: string, at: number): number | undefined {
  const counter = run.trace?.counters[name];
  return counter?.mean[nearest(counter.at_s, at)];
}
