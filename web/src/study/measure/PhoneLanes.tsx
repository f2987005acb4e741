/** The lanes of a live run on a phone: time runs downwards, the run before it dashed. */
import { useQuery } from "@tanstack/react-query";
import type { Progress } from "../../api/live";
import { traceQuery, useRun } from "../../api/runs";
import { duration } from "../../parts/text";
import { nearbyTicks } from "../../parts/ticks";
import { variantColour } from "../../parts/variants";
import { MIB, roundedUp } from "./LiveLanes";

const TALL = 352;
const LANE = 66;
const LEFT = 136;
const GAP = 8;

/** Steps, frame time, processor and memory, with time running downwards. */
export function PhoneLanes(props: {
  progress: Progress;
  variant: number;
  before: number | undefined;
  whole: number;
}) {
  const { progress, whole } = props;
  const colour = variantColour(props.variant);
  const now = progress.elapsed_ns / 1e9;
  const y = (at: number) => 4 + (at / whole) * (TALL - 20);
  const { course } = progress;
  const longest = Math.max(20, ...course.map((one) => one.longest ?? 0));
  const past = useBefore(props.before);
  const most = {
    frames: roundedUp(longest),
    cores: Math.max(
      1,
      Math.ceil(
        Math.max(0, ...course.map((one) => one.cores ?? 0), ...past.cores.map((c) => c[1])),
      ),
    ),
    memory: roundedUp(
      Math.max(1, ...course.map((one) => one.resident / MIB), ...past.memory.map((m) => m[1])),
    ),
  };
  const x = (lane: number, share: number) =>
    LEFT + lane * (LANE + GAP) + Math.max(0, Math.min(1, share)) * LANE;
  const line = (lane: number, points: [number, number][], top: number) =>
    points.map(([at, value]) => `${x(lane, value / top).toFixed(1)},${y(at).toFixed(1)}`).join(" ");
  const cores = course.flatMap((one): [number, number][] =>
    one.cores === null ? [] : [[one.at, one.cores]],
  );
  const memory = course.map((one): [number, number] => [one.at, one.resident / MIB]);
  const filled = (lane: number, points: [number, number][], top: number) => {
    const [first, last] = [points[0], points.at(-1)];
    if (!first || !last) return "";
    return `${x(lane, 0)},${y(first[0])} ${line(lane, points, top)} ${x(lane, 0)},${y(last[0])}`;
  };
  const ticks = nearbyTicks(0, whole, 6).filter((tick) => tick <= whole);
  const ends = ["ms", "cores", "MiB"];
  return (
    <svg
      viewBox={`0 0 358 ${TALL}`}
      className="block w-full font-dense"
      role="img"
      aria-label="frame time, processor and memory of the run under way, time downwards"
    >
      <rect x={0} y={y(0)} width={24} height={y(now) - y(0)} fill="var(--brass-soft)" />
      {ticks.map((tick) => (
        <g key={tick}>
          <line x1={16} x2={24} y1={y(tick)} y2={y(tick)} stroke="var(--brass)" />
          <text x={13} y={y(tick) + 4} fontSize={11} textAnchor="end" fill="var(--ink-2)">
            {tick}
          </text>
        </g>
      ))}
      <text x={2} y={TALL - 3} fontSize={11} fill="var(--ink-2)">
        s
      </text>
      <StepBlocks {...props} past={past} y={y} now={now} />
      {[most.frames, most.cores, most.memory].map((top, lane) => (
        <g key={ends[lane]}>
          <line x1={x(lane, 0)} x2={x(lane, 0)} y1={y(0)} y2={y(whole)} stroke="var(--line)" />
          <line
            x1={x(lane, 1)}
            x2={x(lane, 1)}
            y1={y(0)}
            y2={y(whole)}
            stroke="var(--line)"
            strokeDasharray="2 3"
          />
          <text x={x(lane, 0)} y={TALL - 3} fontSize={11} fill="var(--ink-2)">
            0
          </text>
          <text x={x(lane, 1)} y={TALL - 3} fontSize={11} textAnchor="end" fill="var(--ink-2)">
            {top} {ends[lane]}
          </text>
        </g>
      ))}
      {course.map(
        (one) =>
          one.longest !== null && (
            <line
              key={one.at}
              x1={x(0, 0)}
              x2={x(0, one.longest / most.frames)}
              y1={y(one.at)}
              y2={y(one.at)}
              stroke={colour}
              strokeOpacity={0.6}
              strokeWidth={1.6}
            />
          ),
      )}
      {(
        [
          [1, cores, most.cores],
          [2, memory, most.memory],
        ] as const
      ).map(([lane, points, top]) => (
        <g key={lane}>
          <polygon points={filled(lane, points, top)} fill={colour} fillOpacity={0.16} />
          <polyline
            points={line(lane, points, top)}
            fill="none"
            stroke={colour}
            strokeWidth={1.6}
          />
        </g>
      ))}
      {(
        [
          [1, past.cores, most.cores],
          [2, past.memory, most.memory],
        ] as const
      ).map(([lane, points, top]) => (
        <polyline
          key={lane}
          points={line(
            lane,
            points.filter(([at]) => at > now && at <= whole),
            top,
          )}
          fill="none"
          stroke={colour}
          strokeOpacity={0.6}
          strokeDasharray="2 3"
        />
      ))}
      {past.cores.length > 0 && now < whole * 0.8 && (
        <text fontSize={11} fill="var(--ink-2)">
          <tspan x={x(0, 0) + 3} y={y(whole) - 20}>
            dashed: the
          </tspan>
          <tspan x={x(0, 0) + 3} y={y(whole) - 8}>
            run before
          </tspan>
        </text>
      )}
      <line x1={18} x2={358} y1={y(now)} y2={y(now)} stroke="var(--brass)" strokeWidth={2} />
      <path d={`M16,${y(now) - 5}l9,5l-9,5z`} fill="var(--brass)" />
    </svg>
  );
}

/** What the run before it of the same variant used, and when its steps began. */
interface Before {
  cores: [number, number][];
  memory: [number, number][];
  steps: { name: string; from: number; to: number }[];
}

function useBefore(run: number | undefined): Before {
  const detail = useRun(run ?? 0, run !== undefined);
  const end = detail.data?.record_s ?? 0;
  const trace = useQuery({
    ...traceQuery(run ?? 0, {
      from: 0,
      to: end,
      points: 200,
      counters: "subject.processor,subject.resident",
    }),
    enabled: run !== undefined && end > 0,
  });
  const points = (name: string): [number, number][] => {
    const counter = trace.data?.counters[name];
    return (counter?.at_s ?? []).map((at, place) => [at, counter?.mean[place] ?? 0]);
  };
  return {
    cores: points("subject.processor"),
    memory: points("subject.resident"),
    steps: (detail.data?.stretches ?? [])
      .filter((one) => one.kind === "step")
      .map((one) => ({ name: one.path[0] ?? "", from: one.start_s, to: one.end_s })),
  };
}

/** The steps done, the one under way in ink, and those to come as long as in the run before. */
function StepBlocks(props: {
  progress: Progress;
  past: Before;
  y: (at: number) => number;
  now: number;
  whole: number;
}) {
  const { progress, past, y, now, whole } = props;
  const seen = progress.steps;
  const current = seen.at(-1);
  const place = past.steps.findIndex((step) => step.name === current?.name);
  const shift = current && place >= 0 ? current.at - (past.steps[place]?.from ?? 0) : 0;
  const done = seen.slice(0, -1).map((step, n) => ({
    name: step.name,
    from: step.at,
    to: seen[n + 1]?.at ?? now,
    look: "done" as const,
  }));
  const here = current
    ? [
        {
          name: current.name,
          from: current.at,
          to: Math.max(now, (past.steps[place]?.to ?? now) + shift),
          look: "now" as const,
        },
      ]
    : [];
  const coming = (place >= 0 ? past.steps.slice(place + 1) : []).map((step) => ({
    name: step.name,
    from: Math.max(here[0]?.to ?? 0, step.from + shift),
    to: step.to + shift,
    look: "coming" as const,
  }));
  const fills = { done: "var(--line-2)", now: "var(--head)", coming: "none" };
  return [...done, ...here, ...coming].map((step) => {
    const [top, bottom] = [y(step.from), y(Math.min(whole, step.to))];
    if (bottom - top < 2) return null;
    return (
      <g key={step.name}>
        <rect
          x={28}
          y={top + 0.5}
          width={LEFT - 38}
          height={bottom - top - 1}
          fill={fills[step.look]}
          stroke={step.look === "coming" ? "var(--line)" : "none"}
        />
        {bottom - top > 14 && (
          <text
            x={34}
            y={top + 13}
            fontSize={12}
            fontWeight={600}
            fill={step.look === "now" ? "var(--head-ink)" : "var(--ink)"}
          >
            {step.name.length > 16 ? `${step.name.slice(0, 15)}…` : step.name}
          </text>
        )}
        {bottom - top > 30 && step.look === "done" && (
          <text x={34} y={top + 27} fontSize={11} fill="var(--ink-2)">
            {duration(step.to - step.from)}
          </text>
        )}
      </g>
    );
  });
}
