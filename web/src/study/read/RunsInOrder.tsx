/** Every run's reading in the order taken, so that drift and wild values show. */
import { useNavigate } from "react-router";
import type { Row, Study } from "../../api/client";
import { Levels } from "../../parts/axes";
import { significant } from "../../parts/text";
import { nearbyTicks } from "../../parts/ticks";
import { VariantMark, variantColour } from "../../parts/variants";

const WIDTH = 334;
const HEIGHT = 132;
const LEFT = 44;
const BOTTOM = 22;

function pointsOf(sides: Row["samples"], why: string) {
  return sides.flatMap((side, variant) => side.map((sample) => ({ ...sample, variant, why })));
}

/** Runs that were brought in are of rounds below 0, the first of them nearest to it. */
const place = (round: number) => (round < 0 ? -1e6 - round : round);

function inOrder(a: Study["runs"][number], b: Study["runs"][number]): number {
  return place(a.round) - place(b.round) || a.order_in_round - b.order_in_round;
}

export function RunsInOrder(props: { row: Row; study: Study }) {
  const { row, study } = props;
  const navigate = useNavigate();
  const order = new Map(
    [...study.runs].sort(inOrder).map((run, place) => [run.id, { place, run }]),
  );
  const apart = new Map(
    row.differences.flatMap((d) => d?.excluded_runs.map(([run, why]) => [run, String(why)]) ?? []),
  );
  const named = new Map(study.runs.map((run) => [run.round, run]));
  const points = [
    ...pointsOf(row.cold, "cold"),
    ...pointsOf(row.samples, ""),
    ...pointsOf(row.left_out, "left out"),
  ].map((point) => ({
    ...point,
    why: point.why || apart.get(point.run) || "",
    shown: point.value * row.unit_factor,
    place: order.get(point.run)?.place ?? 0,
  }));
  if (!points.length) return <p className="text-ink-2">no readings yet</p>;
  const values = points.map((point) => point.shown);
  const ticks = nearbyTicks(Math.min(...values), Math.max(...values));
  const low = Math.min(ticks[0] ?? 0, ...values);
  const high = Math.max(ticks.at(-1) ?? 1, ...values);
  const places = points.map((point) => point.place);
  const first = Math.min(...places);
  const last = Math.max(...places, first + 1);
  const x = (place: number) => LEFT + 8 + ((place - first) / (last - first)) * (WIDTH - LEFT - 18);
  const y = (value: number) =>
    HEIGHT - BOTTOM - ((value - low) / (high - low || 1)) * (HEIGHT - BOTTOM - 10);
  const rounds = [...new Set(points.map((point) => point.round))].sort(
    (a, b) => place(a) - place(b),
  );
  const centre = (round: number) => {
    const inside = points.filter((point) => point.round === round).map((point) => x(point.place));
    return inside.reduce((sum, value) => sum + value, 0) / inside.length;
  };
  const every = Math.ceil(rounds.length / 8);
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      role="group"
      aria-label={`${row.name} of every run, ${row.unit}`}
    >
      <Levels ticks={ticks} left={LEFT} right={WIDTH} y={y} says={(tick) => significant(tick)} />
      <text x={0} y={HEIGHT - 6} fontSize={11} fill="var(--ink-3)">
        {row.unit}
      </text>
      {row.medians.map(
        (median, variant) =>
          median && (
            <line
              key={variant}
              x1={LEFT}
              x2={WIDTH}
              y1={y(median.value * row.unit_factor)}
              y2={y(median.value * row.unit_factor)}
              stroke={variantColour(variant)}
              strokeDasharray="4 3"
              strokeOpacity={0.6}
            />
          ),
      )}
      {rounds.map(
        (round, nth) =>
          (round < 0 ? nth === 0 : nth % every === 0) && (
            <text
              key={round}
              x={centre(round)}
              y={HEIGHT - 6}
              fontSize={10.5}
              textAnchor={round < 0 ? "start" : "middle"}
              fill="var(--ink-3)"
            >
              {nth === 0 ? named.get(round)?.round_label : named.get(round)?.round_name}
            </text>
          ),
      )}
      {points.map((point) => {
        const says = `run ${point.run}: ${point.right_censored ? "longer than " : ""}${significant(point.shown)} ${row.unit}${point.why && ` (${point.why})`}`;
        return (
          <a
            key={point.run}
            href={`/runs/${point.run}`}
            aria-label={says}
            onClick={(event) => {
              event.preventDefault();
              navigate(`/runs/${point.run}`);
            }}
          >
            <circle cx={x(point.place)} cy={y(point.shown)} r={8} fill="transparent" />
            <VariantMark
              index={point.variant}
              x={x(point.place)}
              y={y(point.shown)}
              hollow={point.right_censored || point.why !== ""}
            />
            <title>{says}</title>
          </a>
        );
      })}
    </svg>
  );
}
