/** A racer without a film: its picture drawn from its record. */
import type { Racer, Trace } from "../api/client";
import { significant, THIN } from "../parts/text";
import { stepAt } from "./place";

const WIDTH = 400;
const HEIGHT = 250;
const SECONDS = 1;
const INPUTS = 4;

/** The step, the last inputs, a kept picture where there is one, and the pictures it drew. */
export function Drawn(props: {
  racer: Racer;
  trace: Trace | undefined;
  now: number;
  colour: string;
}) {
  const { racer, trace, now } = props;
  const step = racer.steps[stepAt(racer, now)];
  const kept = racer.pictures.findLast((picture) => picture.at_s <= now);
  const inputs = racer.inputs.filter((input) => input.at_s <= now).slice(-INPUTS);
  const own = now + racer.zero_s;
  const frames = (trace?.frames.at_s ?? [])
    .map((at, n) => ({ at, ms: trace?.frames.high[n] ?? 0 }))
    .filter((frame) => frame.at > own - SECONDS && frame.at <= own);
  const x = (at: number) => WIDTH - 12 - ((own - at) / SECONDS) * (WIDTH - 24);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="h-full w-full"
      role="img"
      aria-label={`${racer.name}, drawn from its record: ${step?.name ?? "before the first step"}`}
    >
      <rect width={WIDTH} height={HEIGHT} fill="var(--card)" />
      {kept && (
        <image
          href={`/api/runs/${racer.run}/pictures/${kept.name}`}
          width={WIDTH}
          height={HEIGHT}
          preserveAspectRatio="xMidYMid meet"
          opacity={0.35}
        />
      )}
      <text x={14} y={38} fontSize={21} fontWeight={600} fill="var(--ink)">
        {step?.name ?? "before the first step"}
      </text>
      <text x={14} y={58} fontSize={12} fill="var(--ink-2)">
        drawn from its record: it has no film
      </text>
      {inputs.map((input, n) => (
        <text
          key={`${input.at_s} ${input.what}`}
          x={14}
          y={96 + n * 20}
          fontSize={13}
          fill={n === inputs.length - 1 ? "var(--ink)" : "var(--ink-2)"}
          fontFamily="var(--font-mono)"
        >
          {`${input.at_s.toFixed(2)}${THIN}s  ${input.what}`.slice(0, 46)}
        </text>
      ))}
      <text x={14} y={190} fontSize={12} fill="var(--ink-2)">
        {frames.length ? "pictures of the last second, as wide as they stood" : "nothing was drawn"}
      </text>
      {frames.map((frame) => {
        const width = Math.max(0.5, (frame.ms / 1000 / SECONDS) * (WIDTH - 24) - 1);
        return (
          <rect
            key={frame.at}
            x={Math.max(12, x(frame.at) - width)}
            y={200}
            width={Math.min(width, x(frame.at) - 12)}
            height={34}
            fill={props.colour}
            fillOpacity={0.75}
          >
            <title>{`${significant(frame.ms)} ms`}</title>
          </rect>
        );
      })}
    </svg>
  );
}
