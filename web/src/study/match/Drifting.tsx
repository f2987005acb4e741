/** Readings in the order taken, each from its own variant's median: did the day drift? */
import type { Schemas, Study } from "../../api/client";
import { Levels } from "../../parts/axes";
import { Copyable } from "../../parts/Copyable";
import { THIN } from "../../parts/text";
import { VariantMark } from "../../parts/variants";

type Drift = Schemas["Drift"];
const WIDTH = 268;
const HEIGHT = 92;
const LEFT = 52;
const MOST_SHOWN = 6;

export function Drifting(props: { study: Study; drift: Drift[] }) {
  const { drift, study } = props;
  const ordered = [...drift].sort((a, b) => Number(b.drifts) - Number(a.drifts) || a.p - b.p);
  const drifting = drift.filter((one) => one.drifts).length;
  return (
    <section className="mt-7">
      <h2 className="font-semibold">Readings in the order taken</h2>
      <p className="max-w-4xl text-ink-2">
        {drift.length
          ? `${drifting || "None"} of ${drift.length} main metrics drifted over the rounds (Kendall's τ, false discoveries allowed for). Each reading is shown from the median of its own variant.`
          : "A drift of the day can be told from four rounds on, with at least eight runs."}
      </p>
      <div className="mt-2 flex flex-wrap gap-x-6 gap-y-3">
        {ordered.slice(0, MOST_SHOWN).map((one) => (
          <Chart key={`${one.stretch.join("/")} ${one.metric}`} drift={one} study={study} />
        ))}
      </div>
      {drift
        .filter((one) => one.drifts)
        .map((one) => (
          <p key={one.text} className="mt-2 max-w-4xl border-l-2 border-behind pl-2">
            {one.text}
          </p>
        ))}
    </section>
  );
}

function Chart(props: { drift: Drift; study: Study }) {
  const { drift } = props;
  const rounds = drift.points.map((point) => point.round);
  const [first, last] = [Math.min(...rounds), Math.max(...rounds)];
  const reach = Math.max(...drift.points.map((point) => Math.abs(point.value)), 1e-9);
  const x = (round: number) =>
    LEFT + 8 + ((round - first) / Math.max(1, last - first)) * (WIDTH - LEFT - 20);
  const y = (value: number) => 44 - (value / reach) * 30;
  const said = (value: number) =>
    drift.in_percent
      ? `${(100 * value).toPrecision(2)}${THIN}%`
      : `${value.toPrecision(2)}${THIN}${drift.unit}`;
  const title = `${drift.name}${drift.stretch.length > 1 ? `, ${drift.stretch[0]}` : ""}`;
  return (
    <figure>
      <figcaption className="flex items-baseline text-[12px]">
        <span className="flex-1 font-medium">{title}</span>
        <span className={drift.drifts ? "font-semibold text-behind" : "text-ink-2"}>
          {drift.drifts ? "drifts" : "steady"}
        </span>
      </figcaption>
      <Copyable
        name={`drift ${title}`}
        csv={() =>
          [
            `round,variant,${drift.in_percent ? "share" : "difference"} from median`,
            ...drift.points.map(
              (point) =>
                `${point.round},${props.study.variants[point.variant]?.name},${point.value}`,
            ),
          ].join("\n")
        }
      >
        <svg
          width={WIDTH}
          height={HEIGHT}
          role="img"
          aria-label={`${title}: ${drift.text}`}
          className="bg-card"
        >
          <Levels
            ticks={[reach, 0, -reach]}
            left={LEFT}
            right={WIDTH - 4}
            strong={0}
            y={y}
            says={(value) =>
              value === 0 ? "median" : `${value > 0 ? "+" : "−"}${said(Math.abs(value))}`
            }
          />
          {drift.points.map((point, place) => (
            <VariantMark
              key={place}
              index={point.variant}
              x={x(point.round)}
              y={y(point.value)}
              radius={3.2}
            />
          ))}
          <text x={x(first)} y={HEIGHT - 4} fontSize={10.5} fill="var(--ink-2)">
            round {first}
          </text>
          <text x={x(last)} y={HEIGHT - 4} fontSize={10.5} textAnchor="end" fill="var(--ink-2)">
            {last}
          </text>
        </svg>
      </Copyable>
    </figure>
  );
}
