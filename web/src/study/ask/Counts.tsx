/** What counts: which metrics are judged, and the smallest difference that matters of each. */
import { useState } from "react";
import type { Row, Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useBoard, useTerm } from "../../api/queries";
import { NumberInPlace } from "../../parts/InPlace";
import { count } from "../../parts/text";

export function Counts(props: { study: Study }) {
  const board = useBoard(props.study.id);
  const [open, setOpen] = useState(false);
  const metrics = new Map<string, Row[]>();
  for (const row of board.data?.rows ?? [])
    if (row.can_count) metrics.set(row.metric, [...(metrics.get(row.metric) ?? []), row]);
  const judged = (board.data?.rows ?? []).filter((row) => row.judged).length;
  const aside = [...metrics.values()].flat().filter((row) => !row.judged).length;
  return (
    <section className="max-w-3xl">
      <h3 className="sr-only">What counts, and from when</h3>
      {metrics.size === 0 ? (
        <p className="text-ink-2">
          Once a first round is read, every metric of the session stands here with the smallest
          difference that matters.
        </p>
      ) : (
        <p className="text-ink-2">
          {count(judged, "metric")} judged, {aside} set aside. A difference inside what matters is
          level, however sure it is.{" "}
          <button type="button" className="act" onClick={() => setOpen(!open)} aria-expanded={open}>
            {open ? "fold" : "change"}
          </button>
        </p>
      )}
      {open && (
        <table className="mt-2 w-full text-left">
          <thead>
            <tr className="border-b border-line text-[12px] text-ink-2">
              <th className="py-1 font-normal">metric</th>
              <th className="w-24 text-right font-normal">matters from</th>
              <th className="w-32 text-right font-normal">and at least</th>
              <th className="w-24 text-right font-normal">counts</th>
            </tr>
          </thead>
          <tbody>
            {[...metrics].map(([metric, rows]) => (
              <MetricTerms key={metric} study={props.study.id} rows={rows} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function MetricTerms(props: { study: number; rows: Row[] }) {
  const mayChange = useMayChange();
  const term = useTerm(props.study);
  const row = props.rows[0] as Row;
  const counts = props.rows.some((one) => one.judged);
  const keep = (change: { share?: number | null; amount?: number | null; counts?: boolean }) =>
    term.mutate({
      metric: row.metric,
      stretch: [],
      ...change,
    });
  return (
    <tr className={`border-b border-line-2 ${counts ? "" : "text-ink-3"}`}>
      <td className="py-1" title={row.definition}>
        {row.name}{" "}
        {props.rows.length > 1 && (
          <span className="text-ink-3">in {count(props.rows.length, "place")}</span>
        )}
      </td>
      <td className="text-right whitespace-nowrap">
        {row.material_share !== null && (
          <>
            <NumberInPlace
              label={`${row.name}: percent that matters`}
              value={row.material_share}
              least={0.01}
              most={1000}
              keep={(share) => keep({ share })}
            />{" "}
            %
          </>
        )}
      </td>
      <td className="text-right whitespace-nowrap">
        <NumberInPlace
          label={`${row.name}: amount that matters`}
          value={row.material_amount}
          keep={(amount) => keep({ amount })}
        />{" "}
        <span className="inline-block w-14 text-left text-ink-2">{row.amount_unit}</span>
      </td>
      <td className="text-right">
        <input
          type="checkbox"
          aria-label={`${row.name} counts`}
          checked={counts}
          disabled={!mayChange}
          onChange={(event) => keep({ counts: event.target.checked })}
        />
      </td>
    </tr>
  );
}
