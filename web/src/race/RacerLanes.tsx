/** Frame time, processor and memory of a racer over the last seconds. */
import type { Racer, Trace } from "../api/client";
import { significant, THIN } from "../parts/text";

const SECONDS = 5;
const WIDTH = 200;
const HEIGHT = 19;
const IDLE_MS = 250;
/** What a frame rate is told over, s. */
const RATE_S = 1;

interface Points {
  at_s: number[];
  mean: number[];
  high: number[];
}

/** Scales for the whole run of each: a lane does not move while it plays. Null: no racer has it. */
export interface Tops {
  ms: number | null;
  cores: number | null;
  mib: number | null;
}

/** Nearly the largest: one value far above all others would press them to the ground. */
const nearlyAll = (points: Points | undefined, below = Number.POSITIVE_INFINITY) => {
  const sorted = (points?.high ?? []).filter((value) => value < below).sort((a, b) => a - b);
  return 1.25 * (sorted[Math.floor(sorted.length * 0.995)] ?? 0);
};

export function topsOf(traces: (Trace | undefined)[]): Tops {
  const top = (least: number, of: (trace: Trace) => Points | undefined, below?: number) => {
    const all = traces.map((trace) => trace && of(trace));
    if (!all.some((points) => points?.high.length)) return null;
    return Math.max(least, ...all.map((points) => nearlyAll(points, below)));
  };
  return {
    ms: top(20, (trace) => trace.frames, IDLE_MS),
    cores: top(0.5, (trace) => trace.counters["subject.processor"]),
    mib: top(1, (trace) => trace.counters["subject.resident"]),
  };
}

/** The index of the first instant that is later than one. */
function after(instants: number[], at: number): number {
  let low = 0;
  let high = instants.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((instants[middle] ?? 0) <= at) low = middle + 1;
    else high = middle;
  }
  return low;
}

export function RacerLanes(props: {
  racer: Racer;
  trace: Trace | undefined;
  tops: Tops;
  now: number;
  colour: string;
}) {
  const { racer, trace, tops } = props;
  if (!trace) return <p className="h-[74px] py-1 text-[12px] text-ink-2">reading its lanes …</p>;
  if (tops.ms === null && tops.cores === null && tops.mib === null) return null;
  const now = props.now + racer.zero_s;
  const done = props.now > racer.end_s;
  const last = after(trace.frames.at_s, now) - 1;
  const from = after(trace.frames.at_s, now - RATE_S);
  const recent = trace.frames.mean.slice(from, last + 1);
  const idle = last < 0 || now - (trace.frames.at_s[last] ?? 0) > IDLE_MS / 1000;
  const busy = recent.filter((ms) => ms < IDLE_MS);
  const mean = busy.reduce((sum, ms) => sum + ms, 0) / busy.length;
  const cores = valueAt(trace.counters["subject.processor"], now);
  const mib = valueAt(trace.counters["subject.resident"], now);
  return (
    <div className="grid grid-cols-[76px_1fr_104px] items-center gap-x-2 text-[12px]">
      {tops.ms !== null && (
        <Lane
          name="frame time"
          points={trace.frames}
          now={now}
          top={tops.ms}
          colour={props.colour}
          above={IDLE_MS}
          value={
            done
              ? "done"
              : idle || !busy.length
                ? "none wanted"
                : `${significant(mean, 2)}${THIN}ms · ${significant(1000 / mean, 2)}${THIN}fps`
          }
        />
      )}
      {tops.cores !== null && (
        <Lane
          name="processor"
          points={trace.counters["subject.processor"]}
          now={now}
          top={tops.cores}
          colour={props.colour}
          value={cores === null ? "—" : `${cores.toFixed(2)}${THIN}cores`}
        />
      )}
      {tops.mib !== null && (
        <Lane
          name="memory"
          points={trace.counters["subject.resident"]}
          now={now}
          top={tops.mib}
          colour={props.colour}
          value={mib ? `${significant(mib)}${THIN}MiB` : done ? "gone" : "—"}
        />
      )}
      <span />
      <span className="flex justify-between text-[10.5px] text-ink-3">
        <span>{SECONDS} s ago</span>
        <span className="text-brass">now</span>
      </span>
      <span />
    </div>
  );
}

function valueAt(points: Points | undefined, now: number): number | null {
  if (!points) return null;
  const place = after(points.at_s, now) - 1;
  if (place < 0 || now - (points.at_s[place] ?? 0) > 2) return null;
  return points.mean[place] ?? null;
}

function Lane(props: {
  name: string;
  points: Points | undefined;
  now: number;
  top: number;
  colour: string;
  value: string;
  above?: number;
}) {
  const { points, now, top } = props;
  const x = (at: number) => WIDTH - 2 - ((now - at) / SECONDS) * (WIDTH - 2);
  const parts: string[] = [];
  if (points) {
    const first = Math.max(0, after(points.at_s, now - SECONDS) - 1);
    const last = after(points.at_s, now);
    let pen = "M";
    for (let n = first; n < last; n += 1) {
      const value = points.high[n] ?? 0;
      if (props.above !== undefined && value >= props.above) {
        pen = "M";
        continue;
      }
      const y = HEIGHT - 1 - Math.min(1, value / top) * (HEIGHT - 3);
      parts.push(`${pen}${x(points.at_s[n] ?? 0).toFixed(1)},${y.toFixed(1)}`);
      pen = "L";
    }
  }
  return (
    <>
      <span className="text-ink-2">{props.name}</span>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        className="h-[19px] w-full"
        aria-hidden="true"
      >
        <line x1={0} x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} stroke="var(--line)" />
        <path
          d={parts.join("")}
          fill="none"
          stroke={props.colour}
          strokeWidth={1.4}
          vectorEffect="non-scaling-stroke"
        />
        <line x1={WIDTH - 1} x2={WIDTH - 1} y1={0} y2={HEIGHT} stroke="var(--brass)" />
      </svg>
      <span className="text-right tabular-nums">{props.value}</span>
    </>
  );
}
