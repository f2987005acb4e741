/** Weighted gains of several candidates on one rule: baseline in the middle, better to the right. */
import { variantColour } from "../../parts/variants";
import { type RuleScale, ruleLabels } from "../../rule/scale";

const LINE = 18;
const BAND = Math.log(1.03);

export interface Gain {
  variant: number;
  gain: number | null;
  low: number | null;
  high: number | null;
  open?: boolean;
}

export function GainRule(props: { gains: Gain[]; scale: RuleScale; width: number; name: string }) {
  const { gains, scale, width } = props;
  const height = gains.length * LINE + 16;
  return (
    <svg width={width} height={height} role="img" aria-label={props.name} className="block">
      {ruleLabels(scale.reach).map((label) => (
        <g key={label.gain}>
          <line
            x1={scale.x(label.gain)}
            x2={scale.x(label.gain)}
            y1={14}
            y2={height}
            stroke="var(--line)"
            strokeDasharray="1 3"
          />
          <text
            x={scale.x(label.gain)}
            y={10}
            fontSize={10.5}
            textAnchor="middle"
            fill="var(--ink-2)"
          >
            {label.text}
          </text>
        </g>
      ))}
      <rect
        x={scale.x(-BAND)}
        width={scale.x(BAND) - scale.x(-BAND)}
        y={14}
        height={height - 14}
        fill="var(--band)"
        fillOpacity={0.75}
      />
      <line
        x1={scale.x(0)}
        x2={scale.x(0)}
        y1={14}
        y2={height}
        stroke="var(--ink-2)"
        strokeWidth={1.5}
      />
      {gains.map((one, place) => {
        if (one.gain === null) return null;
        const middle = 16 + place * LINE + LINE / 2;
        const low = scale.x(one.low ?? Number.NEGATIVE_INFINITY);
        const high = scale.x(one.high ?? Number.POSITIVE_INFINITY);
        const colour = variantColour(one.variant);
        return (
          <g key={one.variant}>
            <rect
              x={low}
              width={Math.max(2, high - low)}
              y={middle - 3}
              height={6}
              rx={1}
              fill={one.open ? "none" : colour}
              fillOpacity={0.3}
              stroke={one.open ? colour : "none"}
              strokeDasharray={one.open ? "3 2" : undefined}
            />
            <rect
              x={scale.x(one.gain) - 1.25}
              width={2.5}
              y={middle - 6}
              height={12}
              fill={colour}
            />
          </g>
        );
      })}
    </svg>
  );
}
