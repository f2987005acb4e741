/** What share of a stretch's frames was done within a time, one curve a variant or stretch. */
import { significant } from "./words";

export interface Curve {
  key: string;
  colour: string;
  dash?: string;
  /** Frame time at each share, ms. */
  ms: number[];
}

const WIDTH = 334;
const HEIGHT = 118;
const LEFT = 44;
const BOTTOM = 30;
const MS = [1, 2, 4, 8, 16, 33, 66, 133, 266, 533];

export function QuantileCurves(props: { shares: number[]; curves: Curve[]; note?: string }) {
  const { shares, curves } = props;
  const all = curves.flatMap((curve) => curve.ms).filter((ms) => ms > 0);
  const low = Math.log(Math.min(...all) * 0.9);
  const high = Math.log(Math.max(...all) * 1.1);
  const x = (ms: number) =>
    LEFT + ((Math.log(Math.max(ms, 1e-3)) - low) / (high - low)) * (WIDTH - LEFT - 8);
  const y = (share: number) => HEIGHT - BOTTOM - share * (HEIGHT - BOTTOM - 8);
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label="share of frames by frame time, ms">
      {[
        [1, "all"],
        [0.5, "half"],
        [0, "none"],
      ].map(([share, text]) => (
        <g key={text}>
          <line
            x1={LEFT}
            x2={WIDTH}
            y1={y(Number(share))}
            y2={y(Number(share))}
            stroke="var(--line-2)"
          />
          <text
            x={LEFT - 6}
            y={y(Number(share)) + 4}
            fontSize={11}
            textAnchor="end"
            fill="var(--ink-2)"
          >
            {text}
          </text>
        </g>
      ))}
      {MS.filter((ms) => Math.log(ms) > low && Math.log(ms) < high).map((ms) => (
        <g key={ms}>
          <line x1={x(ms)} x2={x(ms)} y1={8} y2={HEIGHT - BOTTOM} stroke="var(--line-2)" />
          <text
            x={x(ms)}
            y={HEIGHT - BOTTOM + 13}
            fontSize={10.5}
            textAnchor="middle"
            fill="var(--ink-2)"
          >
            {significant(ms, 3)}
          </text>
        </g>
      ))}
      <text x={WIDTH - 4} y={HEIGHT - 3} fontSize={10.5} textAnchor="end" fill="var(--ink-3)">
        frame time, ms (log){props.note && `, ${props.note}`}
      </text>
      {curves.map((curve) => (
        <polyline
          key={curve.key}
          fill="none"
          stroke={curve.colour}
          strokeDasharray={curve.dash}
          strokeWidth={1.6}
          points={curve.ms.map((ms, n) => `${x(ms)},${y(shares[n] ?? 0)}`).join(" ")}
        />
      ))}
    </svg>
  );
}
