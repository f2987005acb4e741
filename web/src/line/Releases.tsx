/** The releases down the side of a line: in which sessions each was measured, and what it reads. */
import type { MetricLine, ReleaseLine } from "../api/lines";

const NAME = 78;
const SESSION = 7;

export function Releases(props: { line: ReleaseLine; metric: MetricLine; row: number }) {
  const { line, metric, row } = props;
  const readings = new Map(metric.points.map((point) => [point.release, point.text]));
  const bars = Math.max(30, line.sessions.length * SESSION + 16);
  const width = NAME + bars + 96;
  const top = 36;
  const y = (release: number) => top + (line.releases.length - 1 - release + 0.5) * row;
  return (
    <svg
      className="block shrink-0"
      width={width}
      height={top + line.releases.length * row + 4}
      role="img"
      aria-label={`Readings of ${metric.label}: ${metric.points
        .map((point) => `${line.releases[point.release]?.name} ${point.text}`)
        .join(", ")}`}
    >
      <text x={0} y={30} fontSize={11} fill="var(--ink-2)">
        release
      </text>
      <text x={NAME} y={30} fontSize={11} fill="var(--ink-2)">
        sessions
      </text>
      <text x={width - 8} y={30} fontSize={11} fill="var(--ink-2)" textAnchor="end">
        reading
      </text>
      <line x1={0} x2={width} y1={top - 1} y2={top - 1} stroke="var(--line)" />
      {line.sessions.map((session, number) => (
        <Session
          key={session.study}
          releases={session.releases}
          x={NAME + 8 + number * SESSION}
          y={y}
          anchor={line.anchor}
        />
      ))}
      {line.releases.map((release, number) => (
        <g key={release.name}>
          <line
            x1={0}
            x2={width}
            y1={y(number) + row / 2}
            y2={y(number) + row / 2}
            stroke="var(--line-2)"
          />
          <text
            x={0}
            y={y(number) + 5}
            fontSize={14}
            fontWeight={release.measured ? 600 : 400}
            fill={release.measured ? "var(--ink)" : "var(--ink-2)"}
          >
            {release.name}
          </text>
          <text
            x={width - 8}
            y={y(number) + 5}
            textAnchor="end"
            fontSize={release.measured ? 13.5 : 11}
            fill={release.measured ? "var(--ink)" : "var(--ink-2)"}
          >
            {readings.get(number) ?? (release.measured ? "no reading" : "not measured")}
          </text>
        </g>
      ))}
    </svg>
  );
}

/** The releases that one session measured, as ticks of one brass line; the anchor as a square. */
function Session(props: {
  releases: number[];
  x: number;
  y: (release: number) => number;
  anchor: number;
}) {
  const { releases, x, y } = props;
  const ends = [Math.min(...releases), Math.max(...releases)];
  return (
    <g>
      <line
        x1={x}
        x2={x}
        y1={y(ends[0] as number)}
        y2={y(ends[1] as number)}
        stroke="var(--brass)"
        strokeOpacity={0.55}
      />
      {releases.map((release) =>
        release === props.anchor ? (
          <rect
            key={release}
            x={x - 2.5}
            y={y(release) - 2.5}
            width={5}
            height={5}
            fill="var(--ink)"
          />
        ) : (
          <line
            key={release}
            x1={x - 3}
            x2={x + 3}
            y1={y(release)}
            y2={y(release)}
            stroke="var(--brass)"
            strokeWidth={2}
          />
        ),
      )}
    </g>
  );
}
