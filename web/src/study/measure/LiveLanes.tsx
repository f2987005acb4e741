/** Frame time and processor of the run under way, over the last half minute. */
import { BEAT_SECONDS, type Progress } from "../../api/live";
import { count, duration, significant, THIN } from "../../parts/text";
import { variantColour } from "../../parts/variants";

const WIDTH = 356;
const HEIGHT = 96;
const SECONDS = 30;
const IDLE_MS = 250;
export const MIB = 2 ** 20;

export function LiveLanes(props: { progress: Progress; variant: number }) {
  const { progress } = props;
  const now = progress.elapsed_ns / 1e9;
  const colour = variantColour(props.variant);
  const beats = progress.beats.filter((beat) => beat.longest < IDLE_MS);
  const recent = beats.filter((beat) => beat.at > now - 2);
  const frames = recent.reduce((sum, beat) => sum + beat.frames, 0);
  const mean = (recent.length * BEAT_SECONDS * 1000) / frames;
  const cores = progress.cores.at(-1)?.value;
  const topMs = niceTop(Math.max(20, ...beats.map((beat) => beat.longest)));
  const topCores = Math.max(1, Math.ceil(Math.max(0, ...progress.cores.map((c) => c.value))));
  const x = (at: number) => WIDTH - ((now - at) / SECONDS) * WIDTH;
  return (
    <div className="mt-4">
      <LaneHead
        name="frame time, longest of each 50 ms"
        value={frames ? `mean ${significant(mean)}${THIN}ms` : "no pictures wanted"}
      />
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label="frame time, last 30 s">
        <Grid top={`${topMs} ms`} />
        {beats.map((beat) => (
          <rect
            key={beat.at}
            x={x(beat.at)}
            width={Math.max(0.8, (BEAT_SECONDS / SECONDS) * WIDTH)}
            y={HEIGHT - 1 - Math.min(1, beat.longest / topMs) * (HEIGHT - 14)}
            height={Math.min(1, beat.longest / topMs) * (HEIGHT - 14)}
            fill={colour}
            fillOpacity={0.55}
          />
        ))}
      </svg>
      <LaneHead
        name="processor"
        value={cores === undefined ? "" : `${significant(cores, 2)}${THIN}cores`}
      />
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label="processor use, last 30 s">
        <Grid top={`${topCores} ${topCores === 1 ? "core" : "cores"}`} />
        <polyline
          fill="none"
          stroke={colour}
          strokeWidth={1.5}
          points={progress.cores
            .map((c) => `${x(c.at)},${HEIGHT - 1 - (c.value / topCores) * (HEIGHT - 14)}`)
            .join(" ")}
        />
      </svg>
      <p className="flex justify-between text-[11px] text-ink-3">
        <span>30 s ago</span>
        <span>now</span>
      </p>
      <Memory progress={progress} colour={colour} />
    </div>
  );
}

/** Memory since the run began, or since somebody looks: what a soak is about. */
function Memory(props: { progress: Progress; colour: string }) {
  const { course, resident, laps } = props.progress;
  const [first, last] = [course[0], course.at(-1)];
  if (!first || !last || last.at <= first.at) return null;
  const top = roundedUp(Math.max(...course.map((sample) => sample.resident)) / MIB);
  const x = (at: number) => ((at - first.at) / (last.at - first.at)) * WIDTH;
  return (
    <>
      <LaneHead
        name={laps > 0 ? `memory, ${count(laps, "lap")} done` : "memory"}
        value={`${significant(resident / MIB)}${THIN}MiB`}
      />
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label="memory since the run began">
        <Grid top={`${top} MiB`} />
        <polyline
          fill="none"
          stroke={props.colour}
          strokeWidth={1.5}
          points={course
            .map(
              ({ at, resident }) =>
                `${x(at)},${HEIGHT - 1 - (resident / MIB / top) * (HEIGHT - 14)}`,
            )
            .join(" ")}
        />
      </svg>
      <p className="flex justify-between text-[11px] text-ink-3">
        <span>{duration(last.at - first.at)} ago</span>
        <span>now</span>
      </p>
    </>
  );
}

/** The next of 1, 2 or 5 times a power of ten. */
export function roundedUp(value: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(1, value)));
  return [1, 2, 5, 10].map((part) => part * power).find((top) => top >= value) ?? value;
}

function LaneHead(props: { name: string; value: string }) {
  return (
    <p className="mt-2 flex justify-between">
      <span className="text-ink-2">{props.name}</span>
      <span className="font-semibold">{props.value}</span>
    </p>
  );
}

function Grid(props: { top: string }) {
  return (
    <>
      <line x1={0} x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} stroke="var(--line)" />
      <line x1={0} x2={WIDTH} y1={13.5} y2={13.5} stroke="var(--line)" strokeDasharray="2 3" />
      <text x={0} y={10} fontSize={10.5} fill="var(--ink-3)">
        {props.top}
      </text>
    </>
  );
}

function niceTop(value: number): number {
  return [20, 50, 100, 250].find((top) => top >= value) ?? 250;
}
