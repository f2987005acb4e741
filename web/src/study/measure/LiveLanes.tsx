/** Frame time and processor of the run under way, over the last half minute. */
import type { Progress } from "../../api/live";
import { variantColour } from "../../parts/variants";
import { significant, THIN } from "../../parts/words";

const WIDTH = 356;
const HEIGHT = 96;
const SECONDS = 30;
const IDLE_MS = 250;

export function LiveLanes(props: { progress: Progress; variant: number }) {
  const { progress } = props;
  const now = progress.elapsed_ns / 1e9;
  const colour = variantColour(props.variant);
  const frames = gaps(progress.frames);
  const recent = frames.filter((frame) => frame.at > now - 2 && frame.ms < IDLE_MS);
  const mean = recent.reduce((sum, frame) => sum + frame.ms, 0) / recent.length;
  const cores = progress.cores.at(-1)?.value;
  const topMs = niceTop(Math.max(20, ...frames.filter((f) => f.ms < IDLE_MS).map((f) => f.ms)));
  const topCores = Math.max(1, Math.ceil(Math.max(0, ...progress.cores.map((c) => c.value))));
  const x = (at: number) => WIDTH - ((now - at) / SECONDS) * WIDTH;
  return (
    <div className="mt-4">
      <LaneHead
        name="frame time"
        value={recent.length ? `${significant(mean)}${THIN}ms` : "no pictures wanted"}
      />
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label="frame time, last 30 s">
        <Grid top={`${topMs} ms`} />
        {frames
          .filter((frame) => frame.ms < IDLE_MS)
          .map((frame) => (
            <line
              key={frame.at}
              x1={x(frame.at)}
              x2={x(frame.at)}
              y1={HEIGHT - 1}
              y2={HEIGHT - 1 - Math.min(1, frame.ms / topMs) * (HEIGHT - 14)}
              stroke={colour}
              strokeOpacity={0.55}
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
        <span>memory {significant(progress.resident / 2 ** 20)} MiB</span>
        <span>now</span>
      </p>
    </div>
  );
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

/** Frame times from frame instants, each at its end. */
export function gaps(instants: number[]): { at: number; ms: number }[] {
  return instants
    .slice(1)
    .map((at, place) => ({ at, ms: (at - (instants[place] as number)) * 1000 }));
}

function niceTop(value: number): number {
  return [20, 50, 100, 250].find((top) => top >= value) ?? 250;
}
