/** The differences of one metric on the rule, and the rule's labels above all of them. */
import type { Row } from "../../api/client";
import { variantColour } from "../../parts/variants";
import { type RuleScale, ruleLabels } from "../../rule/scale";

export const RULE_WIDTH = 330;
/** Height of a candidate's line, px. */
export const LINE = 18;

/** Factors along the rule, for the head of the table. */
export function RuleHead(props: { scale: RuleScale }) {
  const { scale } = props;
  return (
    <svg width={RULE_WIDTH} height={18} aria-hidden="true" className="block">
      {ruleLabels(scale.reach).map((label) => (
        <text
          key={label.gain}
          x={scale.x(label.gain)}
          y={13}
          fontSize={11}
          textAnchor="middle"
          fill="var(--ink-2)"
        >
          {label.text}
        </text>
      ))}
      <text x={scale.x(0)} y={13} fontSize={11} textAnchor="middle" fill="var(--ink-2)">
        baseline
      </text>
    </svg>
  );
}

/** Each candidate's interval as a bar and its estimate as a notch. */
export function RuleLines(props: { row: Row; candidates: number[]; scale: RuleScale }) {
  const { row, candidates, scale } = props;
  const height = candidates.length * LINE + 8;
  const band = candidates.map((index) => row.differences[index]?.band).find((b) => b != null);
  return (
    <svg width={RULE_WIDTH} height={height} className="block" aria-hidden="true">
      {ruleLabels(scale.reach).map((label) => (
        <line
          key={label.gain}
          x1={scale.x(label.gain)}
          x2={scale.x(label.gain)}
          y1={0}
          y2={height}
          stroke="var(--line)"
          strokeDasharray="1 3"
        />
      ))}
      {band != null && (
        <rect
          x={scale.x(-band)}
          width={scale.x(band) - scale.x(-band)}
          y={0}
          height={height}
          fill="var(--band)"
          fillOpacity={0.75}
        />
      )}
      <line
        x1={scale.x(0)}
        x2={scale.x(0)}
        y1={0}
        y2={height}
        stroke="var(--ink-2)"
        strokeWidth={1.5}
      />
      {candidates.map((index, place) => {
        const d = row.differences[index];
        if (d?.gain == null) return null;
        const middle = 4 + place * LINE + LINE / 2;
        const low = scale.x(d.gain_low ?? Number.NEGATIVE_INFINITY);
        const high = scale.x(d.gain_high ?? Number.POSITIVE_INFINITY);
        const colour = variantColour(index);
        const beyond = Math.abs(d.gain) > scale.reach;
        return (
          <g key={index} opacity={d.verdict === "open" ? 0.75 : 1}>
            <rect
              x={low}
              width={Math.max(2, high - low)}
              y={middle - 3}
              height={6}
              rx={1}
              fill={d.verdict === "open" ? "none" : colour}
              stroke={d.verdict === "open" ? colour : "none"}
              strokeDasharray={d.verdict === "open" ? "3 2" : undefined}
              fillOpacity={0.3}
            />
            {beyond ? (
              <path
                d={
                  d.gain > 0
                    ? `M${RULE_WIDTH - 10},${middle - 5}l8,5l-8,5z`
                    : `M10,${middle - 5}l-8,5l8,5z`
                }
                fill={colour}
              />
            ) : (
              <rect
                x={scale.x(d.gain) - 1.25}
                width={2.5}
                y={middle - 6}
                height={12}
                fill={colour}
              />
            )}
          </g>
        );
      })}
    </svg>
  );
}
