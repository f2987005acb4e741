/** The differences of one metric on the rule, and the rule's labels above all of them. */
import type { Row } from "../../api/client";
import { variantColour } from "../../parts/variants";
import { GainMark, RuleGround, RuleLabels } from "../../rule/marks";
import type { RuleScale } from "../../rule/scale";

export const RULE_WIDTH = 330;
/** Height of a candidate's line, px. */
export const LINE = 18;

/** Factors along the rule, for the head of the table. */
export function RuleHead(props: { scale: RuleScale }) {
  const { scale } = props;
  return (
    <svg width={RULE_WIDTH} height={18} aria-hidden="true" className="block">
      <RuleLabels scale={scale} y={13} between={[36, RULE_WIDTH - 38]} />
      <text x={scale.x(0)} y={13} fontSize={11} textAnchor="middle" fill="var(--ink-2)">
        baseline
      </text>
      <text x={2} y={13} fontSize={11} fill="var(--ink-2)">
        worse
      </text>
      <text x={RULE_WIDTH - 2} y={13} fontSize={11} textAnchor="end" fill="var(--ink-2)">
        better
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
      <RuleGround scale={scale} height={height} band={band} />
      {candidates.map((index, place) => {
        const d = row.differences[index];
        if (d?.gain == null) return null;
        return (
          <GainMark
            key={index}
            scale={scale}
            width={RULE_WIDTH}
            middle={4 + place * LINE + LINE / 2}
            colour={variantColour(index)}
            gain={d.gain}
            low={d.gain_low}
            high={d.gain_high}
            open={d.verdict === "open"}
          />
        );
      })}
    </svg>
  );
}
