/** What share of a stretch's frames was done within a time, one curve a variant or stretch. */

import { Levels, Marks } from "./axes";
import { significant } from "./text";

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
      <Levels
        ticks={[0, 0.5, 1]}
        left={LEFT}
        right={WIDTH}
        y={y}
        says={(_, place) => ["none", "half", "all"][place]}
      />
      <Marks
        ticks={MS.filter((ms) => Math.log(ms) > low && Math.log(ms) < high)}
        bottom={HEIGHT - BOTTOM}
        top={8}
        x={x}
        says={(ms) => significant(ms, 3)}
      />
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
