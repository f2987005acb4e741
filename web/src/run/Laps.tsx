/** Laps laid over one another from their starts, crest and trough of each, and where that leads. */
import type { Laps as Found, RunDetail } from "../api/client";
import { useLaps } from "../api/runs";
import { Levels, Marks } from "../parts/axes";
import { Copyable, csvLines } from "../parts/Copyable";
import { count, significant, THIN } from "../parts/text";
import { nearbyTicks } from "../parts/ticks";
import { type Span, same } from "./span";

const WIDTH = 410;
const HEIGHT = 170;
const EDGE = { left: 50, right: 10, top: 8, bottom: 32 };
const SHORTEST_S = 60;
const MOST_BUTTONS = 60;

type Lap = Found["laps"][number];

export function Laps(props: { run: RunDetail; span: Span; choose: (span: Span) => void }) {
  const { run, span } = props;
  const turns = run.stretches.filter((stretch) => stretch.kind === "lap").length;
  const long = span.to - span.from >= SHORTEST_S && run.counters.includes("subject.resident");
  const found = useLaps(run.run.id, span.from, span.to, turns > 1 || long);
  if (!found.data || (!turns && !long)) return null;
  const { laps, outlook } = found.data;
  return (
    <section aria-label="laps and growth" className="mt-4 border-t border-line pt-2">
      <h2 className="font-semibold">
        {laps.length > 1 ? `Memory over ${count(laps.length, "lap")}` : "Memory over the stretch"}
      </h2>
      {outlook && (
        <p className="mt-0.5 max-w-[860px]">
          <b className="capitalize">{outlook.text.split(":")[0]}</b>:
          {outlook.text.slice(outlook.text.indexOf(":") + 1)}.{" "}
          <span className="text-ink-2">
            From this one run, with 95{THIN}% limits of its slope; other runs may differ.
          </span>
        </p>
      )}
      {laps.length > 1 && (
        <div className="mt-2 flex flex-wrap gap-x-6 gap-y-2">
          <Copyable
            name="laps over one another"
            csv={() =>
              csvLines(
                ["lap", "seconds", "memory MiB"],
                laps.flatMap((lap, place) =>
                  lap.curve_mib.map((mib, n) => [place + 1, secondsOf(lap, n), mib]),
                ),
              )
            }
          >
            <Overlaid laps={laps} />
          </Copyable>
          <Copyable
            name="crest and trough"
            csv={() =>
              csvLines(
                ["lap", "seconds", "crest MiB", "trough MiB"],
                laps.map((lap, n) => [n + 1, lap.start_s, lap.crest_mib, lap.trough_mib]),
              )
            }
          >
            <Extremes laps={laps} />
          </Copyable>
        </div>
      )}
      {laps.length > 1 && laps.length <= MOST_BUTTONS && (
        <p className="flex flex-wrap items-center gap-1 text-[12px] text-ink-2">
          choose lap
          {laps.map((lap, place) => (
            <button
              key={lap.start_s}
              type="button"
              className={`rounded-sm border px-1.5 ${
                same(spanOfLap(lap), span) ? "border-ink" : "border-line hover:border-brass"
              }`}
              onClick={() => props.choose(spanOfLap(lap))}
            >
              {place + 1}
            </button>
          ))}
        </p>
      )}
    </section>
  );
}

/** When a point of a lap's curve is, s since the lap's start. */
const secondsOf = (lap: Lap, point: number) =>
  ((lap.end_s - lap.start_s) * point) / (lap.curve_mib.length - 1);

const spanOfLap = (lap: Lap): Span => ({ from: lap.start_s, to: lap.end_s });

/** From the first lap, pale, to the last, dark. */
const shadeOf = (place: number, laps: number) => 0.2 + 0.8 * (place / Math.max(1, laps - 1));

function Overlaid(props: { laps: Lap[] }) {
  const { laps } = props;
  const longest = Math.max(...laps.map((lap) => lap.end_s - lap.start_s));
  const range = rangeOf(laps);
  const x = (seconds: number) => EDGE.left + (seconds / longest) * (WIDTH - EDGE.left - EDGE.right);
  return (
    <figure>
      <figcaption className="text-[12px]">
        <b>laid over one another</b>{" "}
        <span className="text-ink-2">from each lap's start; pale is the first, dark the last</span>
      </figcaption>
      <Frame
        name="memory of each lap, MiB, against seconds since its start"
        range={range}
        ticks={nearbyTicks(0, longest, 5).filter((tick) => tick <= longest)}
        x={x}
        says={(tick) => `${Number(tick.toPrecision(3))}${THIN}s`}
      >
        {(y) =>
          laps.map((lap, place) => (
            <polyline
              key={lap.start_s}
              points={lap.curve_mib.map((mib, n) => `${x(secondsOf(lap, n))},${y(mib)}`).join(" ")}
              fill="none"
              stroke="var(--c1)"
              strokeOpacity={shadeOf(place, laps.length)}
              strokeWidth={1.4}
            />
          ))
        }
      </Frame>
    </figure>
  );
}

function Extremes(props: { laps: Lap[] }) {
  const { laps } = props;
  const x = (place: number) =>
    EDGE.left + 6 + (place / Math.max(1, laps.length - 1)) * (WIDTH - EDGE.left - EDGE.right - 12);
  const ticks = nearbyTicks(1, laps.length, 6).filter(
    (tick) => tick >= 1 && tick <= laps.length && Number.isInteger(tick),
  );
  const [first, last] = [laps[0] as Lap, laps.at(-1) as Lap];
  const signed = (mib: number) => `${mib >= 0 ? "+" : ""}${significant(mib)}${THIN}MiB`;
  return (
    <figure>
      <figcaption className="text-[12px]">
        <b>crest and trough of each lap</b>{" "}
        <span className="text-ink-2">
          trough {signed(last.trough_mib - first.trough_mib)}, crest{" "}
          {signed(last.crest_mib - first.crest_mib)} from first to last
        </span>
      </figcaption>
      <Frame
        name="least and greatest memory of each lap, MiB, against its number"
        range={rangeOf(laps)}
        ticks={ticks}
        x={(tick) => x(tick - 1)}
        says={(tick) => `lap ${tick}`}
      >
        {(y) =>
          (["crest_mib", "trough_mib"] as const).map((which) => (
            <g key={which}>
              <polyline
                points={laps.map((lap, n) => `${x(n)},${y(lap[which])}`).join(" ")}
                fill="none"
                stroke="var(--c1)"
                strokeDasharray={which === "crest_mib" ? "4 3" : undefined}
              />
              {laps.map((lap, n) => (
                <circle
                  key={lap.start_s}
                  cx={x(n)}
                  cy={y(lap[which])}
                  r={2.8}
                  fill={which === "crest_mib" ? "var(--paper)" : "var(--c1)"}
                  stroke="var(--c1)"
                >
                  <title>{`lap ${n + 1}: ${significant(lap[which])} MiB`}</title>
                </circle>
              ))}
            </g>
          ))
        }
      </Frame>
    </figure>
  );
}

function rangeOf(laps: Lap[]): [number, number] {
  const low = Math.min(...laps.map((lap) => lap.trough_mib));
  const high = Math.max(...laps.map((lap) => lap.crest_mib));
  const room = (high - low || 1) * 0.08;
  return [Math.max(0, low - room), high + room];
}

/** Axes in MiB with what is drawn between them. */
function Frame(props: {
  name: string;
  range: [number, number];
  ticks: number[];
  x: (tick: number) => number;
  says: (tick: number) => string;
  children: (y: (mib: number) => number) => React.ReactNode;
}) {
  const [low, high] = props.range;
  const y = (mib: number) =>
    HEIGHT - EDGE.bottom - ((mib - low) / (high - low)) * (HEIGHT - EDGE.top - EDGE.bottom);
  const levels = nearbyTicks(low, high, 4).filter((level) => level >= low && level <= high);
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label={props.name}>
      <Levels
        ticks={levels}
        left={EDGE.left}
        right={WIDTH - EDGE.right}
        y={y}
        says={(level, place) => `${level}${place === levels.length - 1 ? " MiB" : ""}`}
      />
      <Marks ticks={props.ticks} bottom={HEIGHT - EDGE.bottom} x={props.x} says={props.says} />
      {props.children(y)}
    </svg>
  );
}
