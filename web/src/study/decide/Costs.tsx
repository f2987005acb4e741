/** What a gain in time costs: seconds gained against processor seconds and memory. */
import { Link } from "react-router";
import type { Decision, Schemas, Study } from "../../api/client";
import { Levels, Marks } from "../../parts/axes";
import { nearbyTicks } from "../../parts/ticks";
import { VariantMark, variantColour } from "../../parts/variants";
import { readLink } from "./links";

const WIDTH = 330;
const HEIGHT = 210;
const EDGE = { left: 52, right: 12, top: 22, bottom: 36 };
type Trade = Schemas["TradeOff"];

export function Costs(props: { study: Study; decision: Decision }) {
  const { decision, study } = props;
  if (!decision.trade_offs.length) return null;
  const processor = decision.trade_offs.filter((one) => one.cost_metric === "processor_seconds");
  return (
    <section className="mt-5 border-t border-line pt-3">
      <h2 className="font-semibold">What it costs</h2>
      <div className="mt-1 grid grid-cols-[330px_minmax(0,1fr)] gap-6">
        <Picture trades={processor} />
        <ul className="self-center">
          {decision.trade_offs.map((one) => (
            <li
              key={`${one.candidate}${one.cost_metric}${one.stretch.join("~")}`}
              className="border-b border-line-2 py-1"
              style={{ borderLeft: `3px solid ${variantColour(one.candidate)}`, paddingLeft: 8 }}
            >
              <Link
                className="hover:underline"
                to={readLink(study, decision, { metric: one.cost_metric, stretch: one.stretch })}
              >
                {one.sentence}
              </Link>
            </li>
          ))}
        </ul>
      </div>
    </section>
  );
}

/** Right: time gained; up: processor time saved. Up and right is a gift, down and right a price. */
function Picture(props: { trades: Trade[] }) {
  const { trades } = props;
  if (!trades.length) return <p className="text-ink-2">No timing has a processor reading.</p>;
  const xs = nearbyTicks(...spread(trades.map((one) => one.gained_s)), 4);
  const ys = nearbyTicks(...spread(trades.map((one) => -one.cost)), 4);
  const [x0, x1] = [xs[0] ?? 0, xs.at(-1) ?? 1];
  const [y0, y1] = [ys[0] ?? 0, ys.at(-1) ?? 1];
  const x = (v: number) =>
    EDGE.left + ((v - x0) / (x1 - x0 || 1)) * (WIDTH - EDGE.left - EDGE.right);
  const y = (v: number) =>
    HEIGHT - EDGE.bottom - ((v - y0) / (y1 - y0 || 1)) * (HEIGHT - EDGE.top - EDGE.bottom);
  const text = (v: number) => String(Number(v.toPrecision(3))).replace("-", "\u2212");
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label="time gained against processor saved">
      <Marks ticks={xs} bottom={HEIGHT - EDGE.bottom} top={EDGE.top} strong={0} x={x} says={text} />
      <Levels ticks={ys} left={EDGE.left} right={WIDTH - EDGE.right} strong={0} y={y} says={text} />
      <text
        x={WIDTH - EDGE.right}
        y={HEIGHT - 4}
        fontSize={11}
        textAnchor="end"
        fill="var(--ink-2)"
      >
        time gained, s →
      </text>
      <text x={2} y={10} fontSize={11} fill="var(--ink-2)">
        ↑ processor time saved, s
      </text>
      {trades.map((one) => (
        <g key={`${one.candidate}${one.stretch.join("~")}`}>
          <VariantMark index={one.candidate} x={x(one.gained_s)} y={y(-one.cost)} radius={5} />
          <title>{`${one.stretch.at(-1)}: ${one.gained_text}, ${one.cost_text}. ${one.per_second}`}</title>
        </g>
      ))}
      {labelled(trades, x, y).map((one) => (
        <text
          key={one.name + one.top}
          x={one.left}
          y={one.top}
          fontSize={11}
          fill="var(--ink-2)"
          textAnchor={one.left > WIDTH - 90 ? "end" : "start"}
          dx={one.left > WIDTH - 90 ? -9 : 9}
        >
          {one.name}
        </text>
      ))}
    </svg>
  );
}

function spread(values: number[]): [number, number] {
  const low = Math.min(0, ...values);
  const high = Math.max(0, ...values);
  const pad = (high - low || 1) * 0.08;
  return [low - pad, high + pad];
}

/** Names beside the marks; those that would lie on another are left to the list. */
function labelled(trades: Trade[], x: (v: number) => number, y: (v: number) => number) {
  const placed: { left: number; top: number; name: string }[] = [];
  for (const one of trades) {
    const spot = { left: x(one.gained_s), top: y(-one.cost) - 6, name: one.stretch.at(-1) ?? "" };
    const taken = placed.some(
      (other) => Math.abs(other.top - spot.top) < 12 && Math.abs(other.left - spot.left) < 60,
    );
    if (!taken) placed.push(spot);
  }
  return placed;
}
