/** Along the ladder: each timing against the load, both on log scales, and what that says. */
import type { Board } from "../../api/client";
import { Levels, Marks } from "../../parts/axes";
import { logTicks } from "../../parts/logTicks";
import { duration, significant, THIN } from "../../parts/text";
import { VariantMark, variantColour } from "../../parts/variants";

type Reading = Board["ladders"][number];

const WIDTH = 300;
const HEIGHT = 150;
const EDGE = { left: 52, right: 14, top: 8, bottom: 26 };
const MOST = 6;

export function Ladders(props: { board: Board; hidden: Set<number> }) {
  const { ladders } = props.board;
  if (!ladders.length) return null;
  return (
    <section aria-label="along the ladder" className="border-b border-line py-2">
      <h2 className="font-semibold">Along the ladder of {ladders[0]?.ladder}</h2>
      {ladders.slice(0, MOST).map((reading) => (
        <div
          key={`${reading.kind}${reading.stretch.join("/")}`}
          className="grid grid-cols-[300px_1fr] items-start gap-4 py-1"
        >
          <Climb reading={reading} {...props} />
          <div>
            <h3 className="font-medium">{reading.stretch.join(" · ")}</h3>
            {reading.sentences.map((sentence) => (
              <p key={sentence} className="text-[13px]">
                {sentence}
              </p>
            ))}
          </div>
        </div>
      ))}
    </section>
  );
}

/** Medians of every variant at every level, joined. */
function Climb(props: { reading: Reading; board: Board; hidden: Set<number> }) {
  const { levels, medians, kind, ladder } = props.reading;
  const read = medians.flat().filter((value): value is number => value !== null && value > 0);
  if (levels.length < 2 || !read.length) return null;
  const line = props.reading.line ?? null;
  const shown = line === null ? read : [...read, line];
  const [low, high] = [Math.min(...shown) / 1.25, Math.max(...shown) * 1.25];
  const along = (value: number, from: number, to: number) =>
    Math.log(value / from) / Math.log(to / from);
  const first = levels[0] as number;
  const last = levels.at(-1) as number;
  const x = (level: number) =>
    EDGE.left + 8 + along(level, first, last) * (WIDTH - EDGE.left - EDGE.right - 8);
  const y = (value: number) =>
    HEIGHT - EDGE.bottom - along(value, low, high) * (HEIGHT - EDGE.top - EDGE.bottom);
  const says = (value: number) =>
    kind === "growth" ? duration(value) : `${significant(value, 2)}${THIN}/s`;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`${props.reading.stretch.join(", ")} against ${ladder}, both on log scales`}
    >
      <Levels
        ticks={logTicks(low, high)}
        left={EDGE.left}
        right={WIDTH - EDGE.right}
        y={y}
        says={says}
      />
      {line !== null && (
        <g>
          <line
            x1={EDGE.left}
            x2={WIDTH - EDGE.right}
            y1={y(line)}
            y2={y(line)}
            stroke="var(--brass)"
            strokeDasharray="5 3"
          />
          <text
            x={WIDTH - EDGE.right}
            y={y(line) - 4}
            fontSize={10.5}
            textAnchor="end"
            fill="var(--brass)"
          >
            still fluid: {line}
            {THIN}/s
          </text>
        </g>
      )}
      <text x={0} y={HEIGHT - EDGE.bottom + 15} fontSize={10.5} fill="var(--ink-3)">
        {ladder}
      </text>
      <Marks
        ticks={levels}
        bottom={HEIGHT - EDGE.bottom}
        x={x}
        says={(level) =>
          level >= 10_000 ? `${Number((level / 1000).toPrecision(3))}k` : String(level)
        }
      />
      {medians.map((values, variant) => {
        if (props.hidden.has(variant)) return null;
        const points = values.flatMap((value, place) =>
          value === null ? [] : [{ x: x(levels[place] as number), y: y(value) }],
        );
        return (
          <g key={props.board.variants[variant]}>
            <polyline
              points={points.map((point) => `${point.x},${point.y}`).join(" ")}
              fill="none"
              stroke={variantColour(variant)}
              strokeWidth={1.5}
            />
            {points.map((point) => (
              <VariantMark key={point.x} index={variant} x={point.x} y={point.y} radius={3.6} />
            ))}
          </g>
        );
      })}
    </svg>
  );
}
