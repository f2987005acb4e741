/** What small charts stand on: level lines with their numbers, and marks along the bottom. */
import type { ReactNode } from "react";

export const SMALL = 10.5;
const GAP = 5;

/** Lines across a chart, each with its number to the left; the unit belongs into the number. */
export function Levels(props: {
  ticks: number[];
  left: number;
  right: number;
  y: (tick: number) => number;
  says: (tick: number, place: number) => ReactNode;
  /** A level drawn stronger, such as zero. */
  strong?: number;
}) {
  return (
    <>
      {props.ticks.map((tick, place) => (
        <g key={tick}>
          <line
            x1={props.left}
            x2={props.right}
            y1={props.y(tick)}
            y2={props.y(tick)}
            stroke={tick === props.strong ? "var(--ink-2)" : "var(--line-2)"}
          />
          <text
            x={props.left - GAP}
            y={props.y(tick) + 4}
            fontSize={SMALL}
            textAnchor="end"
            fill="var(--ink-2)"
          >
            {props.says(tick, place)}
          </text>
        </g>
      ))}
    </>
  );
}

/** Marks along the bottom of a chart, each with its number below. */
export function Marks(props: {
  ticks: number[];
  bottom: number;
  x: (tick: number) => number;
  says: (tick: number) => ReactNode;
  /** Where lines across the chart begin instead of short marks. */
  top?: number;
  /** Of such lines one drawn stronger, such as zero. */
  strong?: number;
}) {
  const across = props.top !== undefined;
  return (
    <>
      {props.ticks.map((tick) => (
        <g key={tick}>
          <line
            x1={props.x(tick)}
            x2={props.x(tick)}
            y1={props.top ?? props.bottom}
            y2={across ? props.bottom : props.bottom + 4}
            stroke={
              tick === props.strong ? "var(--ink-2)" : across ? "var(--line-2)" : "var(--brass)"
            }
          />
          <text
            x={props.x(tick)}
            y={props.bottom + (across ? 13 : 15)}
            fontSize={SMALL}
            textAnchor="middle"
            fill="var(--ink-2)"
          >
            {props.says(tick)}
          </text>
        </g>
      ))}
    </>
  );
}
