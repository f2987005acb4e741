/** Stretches side by side: readings, what changes from the first, how their frames spread. */
import type { SideBySide as Sides } from "../api/client";
import { useSideBySide } from "../api/runs";
import { Levels } from "../parts/axes";
import { Copyable, csvLines } from "../parts/Copyable";
import { QuantileCurves } from "../parts/QuantileCurves";
import { Trouble } from "../parts/Trouble";
import { duration, significant, THIN } from "../parts/text";

/** A stretch to show: where it is, what it is called, how its lines look. */
export interface Side {
  run: number;
  from: number;
  to: number;
  name: string;
  colour: string;
  dash?: number[];
}

const asked = (side: Side) => `${side.run}:${side.from.toFixed(6)}:${side.to.toFixed(6)}`;

export function SideBySide(props: { sides: Side[]; children?: React.ReactNode }) {
  const { sides } = props;
  const found = useSideBySide(sides.map(asked));
  if (found.error) return <Trouble what="The comparison" error={found.error} />;
  if (!found.data) return null;
  const data = found.data;
  const fit = data.stretches.length === sides.length;
  return (
    <section aria-label="stretches side by side" className="mt-4 border-t border-line pt-2">
      <div className="flex items-baseline gap-3">
        <h2 className="font-semibold">Side by side</h2>
        <p className="text-[12px] text-ink-2">
          {sides.length > 1
            ? "Single stretches: a change has no interval here and is no verdict. The study's rounds say whether it holds."
            : "Of one stretch alone."}
        </p>
        <span className="ml-auto">{props.children}</span>
      </div>
      {fit && (
        <>
          <div className="my-2 flex flex-wrap gap-x-8 gap-y-2">
            <Copyable
              name="share of frames"
              csv={() =>
                csvLines(
                  ["share", ...sides.map((side) => `${side.name}, ms`)],
                  data.shares.map((share, n) => [
                    share,
                    ...data.stretches.map((stretch) => stretch.quantiles_ms[n] ?? ""),
                  ]),
                )
              }
            >
              <h3 className="text-[12px] font-semibold">Share of frames done within</h3>
              <QuantileCurves
                shares={data.shares}
                curves={data.stretches.map((stretch, n) => ({
                  key: `${n}`,
                  colour: sides[n]?.colour ?? "",
                  dash: sides[n]?.dash?.join(" "),
                  ms: stretch.quantiles_ms,
                }))}
              />
            </Copyable>
            <Copyable
              name="share of the time"
              csv={() =>
                csvLines(
                  ["from ms", "to ms", ...sides.map((side) => side.name)],
                  data.edges_ms
                    .slice(0, -1)
                    .map((edge, n) => [
                      edge,
                      data.edges_ms[n + 1] ?? edge,
                      ...data.stretches.map((stretch) => stretch.bins[n] ?? 0),
                    ]),
                )
              }
            >
              <h3 className="text-[12px] font-semibold">Share of the time in frames of</h3>
              <Bins data={data} sides={sides} />
            </Copyable>
          </div>
          <Lines data={data} sides={sides} />
        </>
      )}
    </section>
  );
}

function Lines(props: { data: Sides; sides: Side[] }) {
  const { data, sides } = props;
  return (
    <div className="overflow-x-auto" tabIndex={0}>
      <table className="w-full border-collapse">
        <thead>
          <tr className="border-b border-line text-left align-bottom text-[12px]">
            <th scope="col" className="py-1 font-normal text-ink-2">
              metric
            </th>
            {sides.map((side) => (
              <th key={asked(side)} scope="col" className="py-1 pl-3 text-right font-semibold">
                <span style={{ color: side.colour }}>{side.name}</span>
                <span className="block font-normal text-ink-2">
                  {side.from.toFixed(2)}–{side.to.toFixed(2)}
                  {THIN}s · {duration(side.to - side.from)}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {data.lines.map((line) => (
            <tr key={line.metric} className="border-b border-line-2" title={line.definition}>
              <th scope="row" className="py-0.5 pr-2 text-left font-normal text-ink-2">
                {line.name}
              </th>
              {line.text.map((text, n) => {
                const change = n > 0 ? line.changes[n] : null;
                return (
                  <td key={asked(sides[n] as Side)} className="py-0.5 pl-3 text-right">
                    <span className="whitespace-nowrap">{text || "—"}</span>
                    {change && (
                      <span className="block text-[11.5px] text-ink-2">
                        <span className="whitespace-nowrap">
                          {[change.own, change.percent].filter(Boolean).join(" · ")}
                        </span>{" "}
                        <span className="whitespace-nowrap">
                          {[
                            "",
                            change.times,
                            change.better === null ? "" : change.better ? "better" : "worse",
                          ]
                            .filter((part, n) => n === 0 || part)
                            .join(" · ")}
                        </span>
                      </span>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const WIDTH = 334;
const HEIGHT = 104;
const LEFT = 34;
const BOTTOM = 28;

/** How much of the time went into frames of which length, the same bins for all. */
function Bins(props: { data: Sides; sides: Side[] }) {
  const { data, sides } = props;
  const edges = data.edges_ms;
  const [first, last] = [edges[0], edges.at(-1)];
  if (first === undefined || last === undefined) return <p className="text-ink-2">No frames.</p>;
  const top = Math.max(...data.stretches.flatMap((stretch) => stretch.bins), 0.01);
  const x = (ms: number) =>
    LEFT + (Math.log(ms / first) / Math.log(last / first)) * (WIDTH - LEFT - 8);
  const y = (share: number) => HEIGHT - BOTTOM - (share / top) * (HEIGHT - BOTTOM - 8);
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label="share of the time by frame time, ms">
      <Levels
        ticks={[0, top / 2, top]}
        left={LEFT}
        right={WIDTH}
        y={y}
        says={(share) => `${significant(share * 100, 2)}%`}
      />
      {[first, Math.sqrt(first * last), last].map((ms, n) => (
        <text
          key={ms}
          x={x(ms)}
          y={HEIGHT - BOTTOM + 13}
          fontSize={10.5}
          textAnchor={n === 2 ? "end" : n === 0 ? "start" : "middle"}
          fill="var(--ink-2)"
        >
          {significant(ms)}
          {n === 2 && " and longer"}
        </text>
      ))}
      <text x={WIDTH - 4} y={HEIGHT - 2} fontSize={10.5} textAnchor="end" fill="var(--ink-3)">
        frame time, ms (log)
      </text>
      {data.stretches.map((stretch, n) => {
        const side = sides[n] as Side;
        const path = stretch.bins
          .map(
            (share, bin) =>
              `${bin ? "L" : "M"}${x(edges[bin] ?? 0)},${y(share)}H${x(edges[bin + 1] ?? 0)}`,
          )
          .join("");
        return (
          <path
            key={asked(side)}
            d={path}
            fill="none"
            stroke={side.colour}
            strokeDasharray={side.dash?.join(" ")}
            strokeWidth={1.4}
          />
        );
      })}
    </svg>
  );
}
