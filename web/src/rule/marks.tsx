/** What every rule of differences is drawn with: its ground, and a gain with its interval. */
import { type RuleScale, ruleLabels } from "./scale";

/** The labelled factors in words, above a rule. */
export function RuleLabels(props: {
  scale: RuleScale;
  y: number;
  fontSize?: number;
  fill?: string;
  /** Where other words stand at its ends, px: a label that would run into them is left out. */
  between?: [number, number];
}) {
  const { scale, y, fontSize = 11, fill = "var(--ink-2)" } = props;
  const [first, last] = props.between ?? [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY];
  const half = (text: string) => 0.28 * fontSize * text.length;
  const fits = (label: { gain: number; text: string }) =>
    scale.x(label.gain) - half(label.text) > first && scale.x(label.gain) + half(label.text) < last;
  return (
    <>
      {ruleLabels(scale.reach)
        .filter(fits)
        .map((label) => (
          <text
            key={label.gain}
            x={scale.x(label.gain)}
            y={y}
            fontSize={fontSize}
            textAnchor="middle"
            fill={fill}
          >
            {label.text}
          </text>
        ))}
    </>
  );
}

/** Lines at the labelled factors, the band of what is too small to matter, the baseline. */
export function RuleGround(props: {
  scale: RuleScale;
  top?: number;
  height: number;
  band: number | null | undefined;
}) {
  const { scale, height, band, top = 0 } = props;
  return (
    <>
      {ruleLabels(scale.reach).map((label) => (
        <line
          key={label.gain}
          x1={scale.x(label.gain)}
          x2={scale.x(label.gain)}
          y1={top}
          y2={height}
          stroke="var(--line)"
          strokeDasharray="1 3"
        />
      ))}
      {band != null && (
        <rect
          x={scale.x(-band)}
          width={scale.x(band) - scale.x(-band)}
          y={top}
          height={height - top}
          fill="var(--band)"
          fillOpacity={0.75}
        />
      )}
      <line
        x1={scale.x(0)}
        x2={scale.x(0)}
        y1={top}
        y2={height}
        stroke="var(--ink-2)"
        strokeWidth={1.5}
      />
    </>
  );
}

/** An interval as a bar, hollow and dashed where it is open, and the estimate as a notch. */
export function GainMark(props: {
  scale: RuleScale;
  width: number;
  middle: number;
  colour: string;
  gain: number;
  low: number | null | undefined;
  high: number | null | undefined;
  open: boolean;
}) {
  const { scale, middle, colour, gain, open, width } = props;
  const low = scale.x(props.low ?? Number.NEGATIVE_INFINITY);
  const high = scale.x(props.high ?? Number.POSITIVE_INFINITY);
  const beyond = Math.abs(gain) > scale.reach;
  return (
    <g opacity={open ? 0.75 : 1}>
      <rect
        x={low}
        width={Math.max(2, high - low)}
        y={middle - 3}
        height={6}
        rx={1}
        fill={open ? "none" : colour}
        stroke={open ? colour : "none"}
        strokeDasharray={open ? "3 2" : undefined}
        fillOpacity={0.3}
      />
      {beyond ? (
        <path
          d={gain > 0 ? `M${width - 10},${middle - 5}l8,5l-8,5z` : `M10,${middle - 5}l-8,5l8,5z`}
          fill={colour}
        />
      ) : (
        <rect x={scale.x(gain) - 1.25} width={2.5} y={middle - 6} height={12} fill={colour} />
      )}
    </g>
  );
}
