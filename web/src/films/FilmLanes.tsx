/** Around a picture, each real picture as a block as wide as it stood; below, all of the film. */
import type { FilmCourse, FilmFacts, FilmMark } from "../api/footage";
import { count, THIN } from "../parts/text";
import { nearbyTicks } from "../parts/ticks";

const WIDTH = 880;
const LEFT = 62;
const AROUND_S = 1.1;
const LANE = 24;

export function FilmLanes(props: {
  facts: FilmFacts;
  all: FilmCourse;
  region: FilmCourse | null;
  regionName: string;
  at: number;
  marks: FilmMark[];
  path: string[];
  go: (picture: number) => void;
}) {
  const { facts, all, at, marks } = props;
  const now = all.at_s[at] ?? 0;
  const from = Math.max(0, Math.min(now - AROUND_S, facts.seconds - 2 * AROUND_S));
  const to = from + 2 * AROUND_S;
  const x = (s: number) => LEFT + ((s - from) / (to - from)) * (WIDTH - LEFT);
  const whole = (s: number) => LEFT + (s / facts.seconds) * (WIDTH - LEFT);
  const lanes = props.region ? 2 : 1;
  const ruler = 10 + lanes * (LANE + 8);
  const below = ruler + 58;
  const nearest = (event: React.PointerEvent<SVGElement>, from0: number, span: number) => {
    const box = event.currentTarget.getBoundingClientRect();
    const place = ((event.clientX - box.left) / box.width) * WIDTH;
    return closest(all.at_s, from0 + ((place - LEFT) / (WIDTH - LEFT)) * span);
  };
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${below + 66}`}
      className="block w-full cursor-pointer touch-none select-none"
      role="img"
      aria-label={`picture ${at} at ${now.toFixed(3)} s, and the film around it`}
      onPointerDown={(event) => {
        const box = event.currentTarget.getBoundingClientRect();
        const y = ((event.clientY - box.top) / box.height) * (below + 66);
        props.go(y < below ? nearest(event, from, to - from) : nearest(event, 0, facts.seconds));
      }}
    >
      <Blocks name="picture" course={all} y={8} from={from} to={to} x={x} end={facts.seconds} />
      {props.region && (
        <Blocks
          name={props.regionName}
          course={props.region}
          y={16 + LANE}
          from={from}
          to={to}
          x={x}
          end={facts.seconds}
        />
      )}
      {marks.flatMap((mark) =>
        (["start", "end"] as const).map((end) => {
          const picture = mark[end];
          if (picture === null || picture === 0) return null;
          const known = all.at_s[picture] ?? 0;
          const before = all.at_s[picture - 1] ?? 0;
          if (known < from || before > to) return null;
          // a start is named on its left and an end on its right, so that neither lies on the other
          const right = end === "start" ? x(before) < LEFT + 150 : x(known) < WIDTH - 150;
          const beside = right
            ? Math.max(x(end === "start" ? before : known), LEFT) + 4
            : x(before) - 4;
          return (
            <g key={`${mark.path.join()} ${end}`}>
              <rect
                x={x(before)}
                y={2}
                width={Math.max(2, x(known) - x(before))}
                height={ruler - 6}
                fill="var(--brass)"
                fillOpacity={0.38}
              />
              <text
                x={beside}
                y={ruler}
                fontSize={11.5}
                fontWeight={600}
                textAnchor={right ? "start" : "end"}
                fill="var(--brass)"
              >
                {`${mark.path.at(-1)} ${end === "start" ? "starts" : "ends"} in here`}
              </text>
            </g>
          );
        }),
      )}
      <line x1={x(now)} x2={x(now)} y1={0} y2={ruler} stroke="var(--brass)" strokeWidth={2} />
      <path d={`M${x(now) - 6},0h12l-6,8z`} fill="var(--brass)" />
      {nearbyTicks(from, to, 6)
        .filter((tick) => tick >= from && tick <= to)
        .map((tick) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1={ruler + 8} y2={ruler + 16} stroke="var(--brass)" />
            <text x={x(tick)} y={ruler + 29} fontSize={11} textAnchor="middle" fill="var(--ink-2)">
              {`${Number(tick.toFixed(3))}${THIN}s`}
            </text>
          </g>
        ))}
      <text x={0} y={below + 22} fontSize={12} fontWeight={600} fill="var(--ink)">
        all of it
      </text>
      <rect x={LEFT} y={below} width={WIDTH - LEFT} height={36} fill="var(--line-2)" />
      <path d={outline(all, facts, whole, below)} fill="var(--ink-3)" fillOpacity={0.6} />
      <Scenes facts={facts} all={all} x={whole} y={below} />
      {marks.map((mark) => {
        if (mark.start === null || mark.end === null) return null;
        const [a, b] = [whole(all.at_s[mark.start] ?? 0), whole(all.at_s[mark.end] ?? 0)];
        const mine = mark.path.join() === props.path.join();
        return (
          <g key={mark.path.join()} stroke={mine ? "var(--brass)" : "var(--ink-2)"}>
            <path
              d={`M${a},${below - 8}v6M${a},${below - 5}H${b}M${b},${below - 8}v6`}
              strokeWidth={2}
            />
            <text
              x={(a + b) / 2}
              y={below - 9}
              fontSize={11}
              textAnchor="middle"
              fill="var(--ink)"
              stroke="none"
            >
              {mark.path.at(-1)}
            </text>
          </g>
        );
      })}
      <rect
        x={whole(from)}
        y={below - 1}
        width={Math.max(3, whole(to) - whole(from))}
        height={38}
        fill="none"
        stroke="var(--brass)"
        strokeWidth={2}
      />
      {nearbyTicks(0, facts.seconds, 6)
        .filter((tick) => tick <= facts.seconds)
        .map((tick) => (
          <text
            key={tick}
            x={whole(tick)}
            y={below + 52}
            fontSize={11}
            textAnchor="middle"
            fill="var(--ink-2)"
          >
            {`${tick}${THIN}s`}
          </text>
        ))}
    </svg>
  );
}

/** The picture that is shown at an instant. */
export function closest(at_s: number[], at: number): number {
  let best = 0;
  for (let n = 1; n < at_s.length; n += 1)
    if (Math.abs((at_s[n] ?? 0) - at) < Math.abs((at_s[best] ?? 0) - at)) best = n;
  return best;
}

/** Where much of the picture changed at once: another scene begins. The first is no news. */
function Scenes(props: { facts: FilmFacts; all: FilmCourse; x: (s: number) => number; y: number }) {
  const { all, x, y } = props;
  return (
    <>
      {props.facts.scenes.slice(1).map((picture, n) => {
        const at = x(all.at_s[picture] ?? 0);
        return (
          <path
            key={picture}
            d={`M${at},${y}v36M${at},${y + 36}l-3.5,6h7z`}
            stroke="var(--ink)"
            fill="var(--ink)"
          >
            <title>{`scene ${n + 2} begins with picture ${picture}`}</title>
          </path>
        );
      })}
    </>
  );
}

function Blocks(props: {
  name: string;
  course: FilmCourse;
  y: number;
  from: number;
  to: number;
  end: number;
  x: (s: number) => number;
}) {
  const { course, x, y } = props;
  const blocks = course.new.map((picture, n) => {
    const next = course.new[n + 1];
    return {
      picture,
      pictures: (next ?? course.at_s.length) - picture,
      from: course.at_s[picture] ?? 0,
      to: next === undefined ? props.end : (course.at_s[next] ?? props.end),
    };
  });
  return (
    <>
      <text x={0} y={y + 16} fontSize={12} fontWeight={600} fill="var(--ink)">
        {props.name.slice(0, 9)}
      </text>
      {blocks
        .filter((block) => block.to > props.from && block.from < props.to)
        .map((block) => {
          const left = Math.max(LEFT, x(block.from));
          const width = Math.max(1, Math.min(x(block.to), WIDTH) - left - 1);
          const ms = Math.round((block.to - block.from) * 1000);
          return (
            <g key={block.picture}>
              <rect
                x={left}
                y={y}
                width={width}
                height={LANE}
                fill="var(--ink-3)"
                fillOpacity={0.45}
              />
              {width > 120 && (
                <text x={left + 8} y={y + 16} fontSize={11.5} fill="var(--ink)">
                  {`the same, ${count(block.pictures, "picture")}: ${ms}${THIN}ms`}
                </text>
              )}
            </g>
          );
        })}
    </>
  );
}

/** How much of the picture changes, over the whole film. */
function outline(
  course: FilmCourse,
  facts: FilmFacts,
  x: (s: number) => number,
  top: number,
): string {
  const columns = 400;
  const heights = new Array<number>(columns).fill(0);
  course.at_s.forEach((at, n) => {
    const column = Math.min(columns - 1, Math.floor((at / facts.seconds) * columns));
    heights[column] = Math.max(heights[column] ?? 0, course.share[n] ?? 0);
  });
  const points = heights.map((share, n) => {
    const height = share > 0 ? 3 + 31 * Math.sqrt(share) : 0;
    return `L${x((n / columns) * facts.seconds).toFixed(1)},${(top + 36 - height).toFixed(1)}`;
  });
  return `M${x(0)},${top + 36}${points.join("")}L${x(facts.seconds)},${top + 36}z`;
}
