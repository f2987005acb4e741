/** What the lanes draw as a table: a line for each point in view of the main run. */
import { significant } from "../parts/text";
import { nearest } from "./nearest";
import type { Shown } from "./series";
import type { Span } from "./span";

const MOST = 400;

export function LaneTable(props: { run: Shown; view: Span; point: (at: number) => void }) {
  const { run, view } = props;
  const trace = run.trace;
  if (!trace) return null;
  const { frames } = trace;
  const names = Object.keys(trace.counters);
  const driver = frames.at_s.length ? frames.at_s : (trace.counters[names[0] ?? ""]?.at_s ?? []);
  const inside = driver.flatMap((at, n) => (at >= view.from && at <= view.to ? [n] : []));
  const every = Math.max(1, Math.ceil(inside.length / MOST));
  const rows = inside.filter((_, place) => place % every === 0);
  const stepAt = (at: number) =>
    run.detail.stretches.find((s) => s.kind === "step" && s.start_s < at && at <= s.end_s)?.path[0];
  return (
    <section aria-label="lanes as a table" className="overflow-x-auto" tabIndex={0}>
      <p className="py-1 text-[12px] text-ink-2">
        {frames.every ? "A line a frame" : "A line for several frames, least to greatest"}
        {every > 1 &&
          `, every ${every}th of ${inside.length.toLocaleString("en")} shown: look closer for all, or copy them as CSV`}
        .
      </p>
      <table className="w-full text-right">
        <thead className="sticky top-0 bg-paper text-[12px] text-ink-2">
          <tr className="border-b border-line">
            <th scope="col" className="py-1 text-left font-normal">
              time, s
            </th>
            <th scope="col" className="text-left font-normal">
              step
            </th>
            {frames.at_s.length > 0 && (
              <>
                {!frames.every && (
                  <th scope="col" className="font-normal">
                    least, ms
                  </th>
                )}
                <th scope="col" className="font-normal">
                  {frames.every ? "frame, ms" : "greatest, ms"}
                </th>
                <th scope="col" className="font-normal">
                  mean, ms
                </th>
              </>
            )}
            {names.map((name) => (
              <th key={name} scope="col" className="pl-3 font-normal">
                {name.replace(/[._]/g, " ")}
                {trace.counters[name]?.unit && `, ${trace.counters[name]?.unit}`}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((n) => {
            const at = driver[n] as number;
            return (
              <tr
                key={at}
                className="border-b border-line-2 hover:bg-brass-soft"
                onMouseEnter={() => props.point(at)}
              >
                <td className="py-0.5 text-left font-mono text-[12px]">{at.toFixed(4)}</td>
                <td className="text-left text-ink-2">{stepAt(at)}</td>
                {frames.at_s.length > 0 && (
                  <>
                    {!frames.every && <td>{significant(frames.low[n] ?? 0)}</td>}
                    <td>{significant(frames.high[n] ?? 0)}</td>
                    <td>{significant(frames.mean[n] ?? 0)}</td>
                  </>
                )}
                {names.map((name) => {
                  const counter = trace.counters[name];
                  const value = counter?.mean[nearest(counter.at_s, at)];
                  return <td key={name}>{value === undefined ? "" : significant(value)}</td>;
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
