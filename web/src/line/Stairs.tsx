/** One metric's column of a line: each release with its interval, levels as stairs, changes. */
import type { MetricLine } from "../api/lines";
import { RuleGround, RuleLabels } from "../rule/marks";
import { reachFor, ruleScale } from "../rule/scale";
import { edgeOf, furthest, stairs } from "./stairs";

const HEAD = 36;

export function Stairs(props: {
  metric: MetricLine;
  releases: number;
  row: number;
  width: number;
  /** The chosen metric's column, wide and with words. */
  wide: boolean;
  anchorName: string;
}) {
  const { metric, releases, row, width, wide } = props;
  const drawn = wide ? width - 190 : width;
  const scale = ruleScale(drawn, reachFor([furthest(metric) * 1.1]), wide ? 10 : 8);
  const height = releases * row;
  const y = (release: number) => (releases - 1 - release + 0.5) * row;
  const steps = stairs(metric);
  return (
    <svg
      className="block shrink-0"
      width={width}
      height={HEAD + height + 4}
      role="img"
      aria-label={`${metric.headline} Better to the right of ${props.anchorName}.`}
    >
      <text x={4} y={13} fontSize={12.5} fontWeight={600} fill="var(--ink)">
        {clipped(metric.label, width / 6.6)}
      </text>
      {wide && <RuleLabels scale={scale} y={HEAD - 6} fontSize={11} />}
      {wide && (
        <text
          x={scale.x(0)}
          y={HEAD - 6}
          fontSize={11}
          fontWeight={600}
          textAnchor="middle"
          fill="var(--ink)"
        >
          {props.anchorName}
        </text>
      )}
      <g transform={`translate(0 ${HEAD})`}>
        <RuleGround scale={scale} height={height} band={wide ? 0.0296 : null} />
        {metric.changes.map((change) => (
          <Change key={change.release} {...{ metric, change, scale, y, row, wide, drawn, steps }} />
        ))}
        {steps.map((step, n) => {
          const [begins, ends] = [metric.changes[n - 1], metric.changes[n]];
          return (
            <line
              key={step.first}
              x1={scale.x(step.level)}
              x2={scale.x(step.level)}
              y1={begins ? y(edgeOf(begins, metric)) : y(step.first) + row / 2}
              y2={ends ? y(edgeOf(ends, metric)) : y(step.last) - row / 2}
              stroke="var(--ink-2)"
              strokeWidth={wide ? 1.5 : 1}
            />
          );
        })}
        {metric.points.map((point) => (
          <g key={point.release}>
            <rect
              x={scale.x(point.low)}
              width={Math.max(1, scale.x(point.high) - scale.x(point.low))}
              y={y(point.release) - 3}
              height={6}
              fill="var(--ink)"
              fillOpacity={0.22}
            />
            {point.release === metric.anchor ? (
              <rect
                x={scale.x(point.gain) - 4}
                width={8}
                y={y(point.release) - 4}
                height={8}
                fill="var(--ink)"
              />
            ) : (
              <rect
                x={scale.x(point.gain) - 1.25}
                width={2.5}
                y={y(point.release) - 6}
                height={12}
                fill="var(--ink)"
              />
            )}
          </g>
        ))}
      </g>
    </svg>
  );
}

function Change(props: {
  metric: MetricLine;
  change: MetricLine["changes"][number];
  scale: ReturnType<typeof ruleScale>;
  y: (release: number) => number;
  row: number;
  wide: boolean;
  drawn: number;
  steps: ReturnType<typeof stairs>;
}) {
  const { metric, change, scale, y, row, wide, steps } = props;
  const place = steps.findIndex((step) => step.first === change.release);
  const from = scale.x(steps[place - 1]?.level ?? 0);
  const to = scale.x(steps[place]?.level ?? 0);
  const at = y(edgeOf(change, metric));
  const colour = change.better ? "var(--ahead)" : "var(--behind)";
  const way = to >= from ? 1 : -1;
  const unsure = change.latest > change.earliest;
  const top = y(change.latest) + row / 2;
  const bottom = y(change.earliest) + row / 2;
  return (
    <g>
      {unsure && (
        <rect
          x={Math.min(from, to)}
          width={Math.abs(to - from)}
          y={top}
          height={bottom - top}
          fill={colour}
          fillOpacity={0.13}
        />
      )}
      <line x1={from} x2={to} y1={at} y2={at} stroke={colour} strokeWidth={2} />
      <path d={`M${to},${at}l${-6 * way},-4.5v9z`} fill={colour} />
      {wide && (
        <>
          <line
            x1={Math.max(from, to) + 6}
            x2={props.drawn + 2}
            y1={at}
            y2={at}
            stroke="var(--line)"
            strokeDasharray="1 3"
          />
          <text x={props.drawn + 6} y={at - 3} fontSize={12.5} fontWeight={600} fill="var(--ink)">
            {change.since}
          </text>
          <text x={props.drawn + 6} y={at + 11} fontSize={12} fill={colour}>
            {change.text}
          </text>
        </>
      )}
      {!wide && (
        <text
          x={clamped((from + to) / 2, 2.9 * short(change.text).length, props.drawn)}
          y={at + 13}
          fontSize={10.5}
          fontWeight={600}
          fill={colour}
          stroke="var(--paper)"
          strokeWidth={3}
          paintOrder="stroke"
          textAnchor="middle"
        >
          {short(change.text)}
        </text>
      )}
    </g>
  );
}

/** The middle of a label, so that both its ends are within the column. */
function clamped(middle: number, half: number, width: number): number {
  return Math.max(half + 1, Math.min(width - half - 1, middle));
}

/** The change without its interval: `10 % more`. */
function short(text: string): string {
  return (
    text.split(" (")[0]?.replace(/ (time|memory|processor time|as long|as much|the rate)$/, "") ??
    text
  );
}

function clipped(text: string, most: number): string {
  return text.length > most ? `${text.slice(0, Math.max(4, Math.floor(most) - 1))}…` : text;
}
