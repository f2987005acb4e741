/** A whole study as one small rule: a tick a metric, one lane a candidate. */
import type { Schemas } from "../api/client";
import { count } from "../parts/text";
import { variantColour } from "../parts/variants";
import { reachFor, ruleScale, ruleTicks } from "./scale";

const WIDTH = 330;
const LANE = 13;

export function SmallRule(props: {
  ticks: Schemas["Tick"][];
  variants: string[];
  baseline: number;
}) {
  const candidates = [...new Set(props.ticks.map((tick) => tick.variant))].sort();
  const reach = reachFor(props.ticks.map((tick) => tick.gain));
  const scale = ruleScale(WIDTH, reach);
  const lanes = Math.max(1, candidates.length);
  const height = lanes * LANE + 16;
  const bands = props.ticks.map((tick) => tick.band).sort((a, b) => a - b);
  const band = bands[bands.length >> 1] ?? 0;
  return (
    <svg
      width={WIDTH}
      height={height}
      role="img"
      aria-label={`${count(props.ticks.length, "metric")} against ${props.variants[props.baseline]}`}
    >
      <rect
        x={scale.x(-band)}
        width={Math.max(6, scale.x(band) - scale.x(-band))}
        y={0}
        height={lanes * LANE + 2}
        fill="var(--band)"
      />
      {ruleTicks(reach).map((tick) => (
        <line
          key={tick.gain}
          x1={scale.x(tick.gain)}
          x2={scale.x(tick.gain)}
          y1={height - 2}
          y2={height - (tick.long ? 9 : 5)}
          stroke="var(--brass)"
          strokeOpacity={0.6}
        />
      ))}
      <line
        x1={WIDTH / 2}
        x2={WIDTH / 2}
        y1={0}
        y2={height - 2}
        stroke="var(--ink-2)"
        strokeWidth={1.5}
      />
      {props.ticks.map((tick, place) => {
        const sure = tick.verdict === "ahead" || tick.verdict === "behind";
        const colour = variantColour(tick.variant);
        return (
          <rect
            key={place}
            x={scale.x(tick.gain) - 1.5}
            y={candidates.indexOf(tick.variant) * LANE + 1}
            width={3}
            height={LANE - 2}
            fill={sure ? colour : "var(--paper)"}
            stroke={colour}
            strokeWidth={sure ? 0 : 1}
            fillOpacity={sure ? 0.85 : 1}
          >
            <title>{`${props.variants[tick.variant]}: ${tick.label}, ${tick.verdict}`}</title>
          </rect>
        );
      })}
    </svg>
  );
}
