/** Weighted gains of several candidates on one rule: baseline in the middle, better to the right. */
import { variantColour } from "../../parts/variants";
import { GainMark, RuleGround, RuleLabels } from "../../rule/marks";
import type { RuleScale } from "../../rule/scale";

const LINE = 18;

export interface Gain {
  variant: number;
  gain: number | null;
  low: number | null;
  high: number | null;
  open?: boolean;
}

export function GainRule(props: {
  gains: Gain[];
  scale: RuleScale;
  /** What is too small to matter; null where that is not known. */
  band: number | null;
  width: number;
  name: string;
}) {
  const { gains, scale, width } = props;
  const height = gains.length * LINE + 16;
  return (
    <svg width={width} height={height} role="img" aria-label={props.name} className="block">
      <RuleLabels scale={scale} y={10} fontSize={10.5} />
      <RuleGround scale={scale} top={14} height={height} band={props.band} />
      {gains.map(
        (one, place) =>
          one.gain !== null && (
            <GainMark
              key={one.variant}
              scale={scale}
              width={width}
              middle={16 + place * LINE + LINE / 2}
              colour={variantColour(one.variant)}
              gain={one.gain}
              low={one.low}
              high={one.high}
              open={one.open ?? false}
            />
          ),
      )}
    </svg>
  );
}
