/** Read: every metric on the difference rule, and the evidence of the chosen one. */
import { useEffect, useRef } from "react";
import { useSearchParams } from "react-router";
import type { Board, Row, Study } from "../../api/client";
import { useBoard } from "../../api/queries";
import { useKeys } from "../../parts/keyboard";
import { Trouble, Waiting } from "../../parts/Trouble";
import { Verdict } from "../../parts/Verdict";
import { VariantName, variantColour } from "../../parts/variants";
import { count, THIN } from "../../parts/words";
import { type RuleScale, reachFor, ruleLabels, ruleScale } from "../../rule/scale";
import { Evidence } from "./Evidence";
import { byStep, matters, rowKey, rowName } from "./rows";

const RULE_WIDTH = 330;
const LINE = 18;

export function Read(props: { study: Study }) {
  const board = useBoard(props.study.id);
  if (board.isPending) return <Waiting what="the board" />;
  if (board.error)
    return <Trouble what="The board" error={board.error} again={() => board.refetch()} />;
  if (!board.data.rows.length)
    return (
      <p className="max-w-xl p-6 text-ink-2">
        Nothing has been measured yet. Every metric of the session will stand here on one rule, with
        the baseline in the middle and better to the right. Press <kbd>g</kbd> <kbd>m</kbd> to
        measure.
      </p>
    );
  return <Rows study={props.study} board={board.data} />;
}

function Rows(props: { study: Study; board: Board }) {
  const { board, study } = props;
  const [search, setSearch] = useSearchParams();
  const all = search.get("show") !== "matters";
  const hidden = new Set((search.get("without") ?? "").split(",").filter(Boolean).map(Number));
  const judged = board.rows.filter((row) => row.judged);
  const rows = all ? judged : judged.filter(matters);
  const chosen = rows.find((row) => rowKey(row) === search.get("row")) ?? mostTelling(rows);
  const candidates = board.variants
    .map((_, index) => index)
    .filter((index) => index !== board.baseline && !hidden.has(index));

  const change = (name: string, value: string) =>
    setSearch(
      (now) => {
        if (value) now.set(name, value);
        else now.delete(name);
        return now;
      },
      { replace: true },
    );
  // Keys may come faster than the address changes: the walk goes on from where it last went.
  const walked = useRef(chosen);
  walked.current = chosen;
  const step = (by: number) => {
    const place = walked.current ? rows.indexOf(walked.current) : -1;
    const next = rows[Math.max(0, Math.min(rows.length - 1, place + by))];
    if (!next) return;
    walked.current = next;
    change("row", rowKey(next));
  };
  const toggle = (index: number) => {
    if (index === board.baseline || index >= board.variants.length) return;
    if (hidden.has(index)) hidden.delete(index);
    else hidden.add(index);
    change("without", [...hidden].join(","));
  };
  useKeys("Read", [
    { keys: "j", does: "next metric", act: () => step(1) },
    { keys: "k", does: "previous metric", act: () => step(-1) },
    {
      keys: "e",
      does: "everything, or only what matters",
      act: () => change("show", all ? "matters" : ""),
    },
    ...board.variants.map((name, index) => ({
      keys: String(index + 1),
      does: index === board.baseline ? `${name} (baseline, always shown)` : `${name} on and off`,
      act: () => toggle(index),
    })),
  ]);

  const reach = reachFor(
    rows.flatMap((row) => candidates.map((index) => row.differences[index]?.gain ?? Number.NaN)),
  );
  const scale = ruleScale(RULE_WIDTH, reach);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_376px]">
      <div tabIndex={0} className="min-h-0 overflow-auto px-6 pb-10">
        <div className="flex items-baseline gap-4 pt-3 pb-1">
          <h1 className="text-[15px] font-semibold">
            {count(rows.length, "metric")}, {count(candidates.length, "candidate")} against{" "}
            <VariantName index={board.baseline} name={board.variants[board.baseline] ?? ""} />
          </h1>
          <span className="flex-1 text-ink-2">
            better to the right · grey band: too small to matter
          </span>
          <button
            type="button"
            className="font-semibold text-brass"
            onClick={() => change("show", all ? "matters" : "")}
          >
            {all ? "only what matters" : "everything"}
          </button>
        </div>
        <table className="w-full border-collapse">
          <thead className="sticky top-0 z-10 bg-paper text-[12px] text-ink-2">
            <tr>
              <th className="py-1 text-left font-normal">metric</th>
              <th className="text-right font-normal">{board.variants[board.baseline]}</th>
              <th className="w-[126px]" aria-label="candidate and verdict" />
              <th style={{ width: RULE_WIDTH }}>
                <RuleHead scale={scale} />
              </th>
              <th className="text-right font-normal">reading</th>
              <th className="text-right font-normal">change</th>
            </tr>
          </thead>
          {byStep(rows).map((group) => (
            <tbody key={group.step}>
              <tr>
                <th
                  colSpan={6}
                  scope="rowgroup"
                  className="border-b border-line pt-2.5 pb-0.5 text-left font-semibold"
                >
                  {group.step}
                </th>
              </tr>
              {group.rows.map((row) => (
                <MetricRow
                  key={rowKey(row)}
                  row={row}
                  board={board}
                  candidates={candidates}
                  scale={scale}
                  chosen={row === chosen}
                  choose={() => change("row", rowKey(row))}
                />
              ))}
            </tbody>
          ))}
        </table>
      </div>
      <aside tabIndex={0} className="min-h-0 overflow-auto border-l border-line bg-card px-5 py-4">
        {chosen && <Evidence study={study} board={board} row={chosen} candidates={candidates} />}
      </aside>
    </div>
  );
}

/** The row to start with: a clear loss, for that is what is overlooked. */
function mostTelling(rows: Row[]): Row | undefined {
  const worst = rows
    .flatMap((row) =>
      row.differences.map((d) => ({
        row,
        weight:
          d?.verdict === "behind" && d.gain != null && row.primary ? -d.gain / (d.band ?? 1) : 0,
      })),
    )
    .sort((a, b) => b.weight - a.weight)[0];
  return worst && worst.weight > 0 ? worst.row : rows[0];
}

function RuleHead(props: { scale: RuleScale }) {
  const { scale } = props;
  return (
    <svg width={RULE_WIDTH} height={18} aria-hidden="true" className="block">
      {ruleLabels(scale.reach).map((label) => (
        <text
          key={label.gain}
          x={scale.x(label.gain)}
          y={13}
          fontSize={11}
          textAnchor="middle"
          fill="var(--ink-2)"
        >
          {label.text}
        </text>
      ))}
      <text x={scale.x(0)} y={13} fontSize={11} textAnchor="middle" fill="var(--ink-2)">
        baseline
      </text>
    </svg>
  );
}

function MetricRow(props: {
  row: Row;
  board: Board;
  candidates: number[];
  scale: RuleScale;
  chosen: boolean;
  choose: () => void;
}) {
  const { row, board, candidates, scale } = props;
  const { name, of, depth } = rowName(row);
  const base = row.medians[board.baseline];
  const element = useRef<HTMLTableRowElement>(null);
  const first = useRef(true);
  useEffect(() => {
    if (props.chosen && !first.current) element.current?.scrollIntoView({ block: "nearest" });
    first.current = false;
  }, [props.chosen]);
  const ground = props.chosen ? "bg-card outline outline-1 outline-brass" : "hover:bg-card";
  return (
    <tr
      ref={element}
      className={`cursor-pointer border-b border-line-2 ${ground}`}
      onClick={props.choose}
      aria-selected={props.chosen}
    >
      <td className="py-1 pr-2" style={{ paddingLeft: 12 + depth * 14 }}>
        <button type="button" className="text-left" onClick={props.choose}>
          {name} {of && <span className="text-ink-3">of {of}</span>}
        </button>
      </td>
      <td className="py-1 text-right whitespace-nowrap">
        {base ? (
          <>
            {base.text} <Unit>{row.unit}</Unit>
          </>
        ) : (
          <span className="text-ink-3">no reading</span>
        )}
      </td>
      <td className="py-1 pl-3">
        {candidates.map((index) => (
          <div
            key={index}
            className="grid grid-cols-[56px_56px] items-center gap-1"
            style={{ height: LINE }}
          >
            <span
              className="truncate text-right font-dense text-[12px] font-semibold"
              style={{ color: variantColour(index) }}
            >
              {board.variants[index]}
            </span>
            {row.differences[index] && <Verdict of={row.differences[index].verdict} />}
          </div>
        ))}
      </td>
      <td className="p-0">
        <RuleLines row={row} candidates={candidates} scale={scale} />
      </td>
      <td className="py-1 text-right">
        {candidates.map((index) => (
          <div key={index} style={{ height: LINE }}>
            {row.medians[index]?.text ?? <span className="text-ink-3">none</span>}
          </div>
        ))}
      </td>
      <td className="py-1 pr-1 text-right whitespace-nowrap">
        {candidates.map((index) => {
          const difference = row.differences[index];
          const tone =
            difference?.verdict === "ahead"
              ? "text-ahead"
              : difference?.verdict === "behind"
                ? "text-behind"
                : "text-ink-2";
          return (
            <div key={index} className={tone} style={{ height: LINE }}>
              {difference?.change_words || "–"}
            </div>
          );
        })}
      </td>
    </tr>
  );
}

function RuleLines(props: { row: Row; candidates: number[]; scale: RuleScale }) {
  const { row, candidates, scale } = props;
  const height = candidates.length * LINE + 8;
  const band = candidates.map((index) => row.differences[index]?.band).find((b) => b != null);
  return (
    <svg width={RULE_WIDTH} height={height} className="block" aria-hidden="true">
      {ruleLabels(scale.reach).map((label) => (
        <line
          key={label.gain}
          x1={scale.x(label.gain)}
          x2={scale.x(label.gain)}
          y1={0}
          y2={height}
          stroke="var(--line)"
          strokeDasharray="1 3"
        />
      ))}
      {band != null && (
        <rect
          x={scale.x(-band)}
          width={scale.x(band) - scale.x(-band)}
          y={0}
          height={height}
          fill="var(--band)"
          fillOpacity={0.75}
        />
      )}
      <line
        x1={scale.x(0)}
        x2={scale.x(0)}
        y1={0}
        y2={height}
        stroke="var(--ink-2)"
        strokeWidth={1.5}
      />
      {candidates.map((index, place) => {
        const d = row.differences[index];
        if (d?.gain == null) return null;
        const middle = 4 + place * LINE + LINE / 2;
        const low = scale.x(d.gain_low ?? Number.NEGATIVE_INFINITY);
        const high = scale.x(d.gain_high ?? Number.POSITIVE_INFINITY);
        const colour = variantColour(index);
        const beyond = Math.abs(d.gain) > scale.reach;
        return (
          <g key={index} opacity={d.verdict === "open" ? 0.75 : 1}>
            <rect
              x={low}
              width={Math.max(2, high - low)}
              y={middle - 3}
              height={6}
              rx={1}
              fill={d.verdict === "open" ? "none" : colour}
              stroke={d.verdict === "open" ? colour : "none"}
              strokeDasharray={d.verdict === "open" ? "3 2" : undefined}
              fillOpacity={0.3}
            />
            {beyond ? (
              <path
                d={
                  d.gain > 0
                    ? `M${RULE_WIDTH - 10},${middle - 5}l8,5l-8,5z`
                    : `M10,${middle - 5}l-8,5l8,5z`
                }
                fill={colour}
              />
            ) : (
              <rect
                x={scale.x(d.gain) - 1.25}
                width={2.5}
                y={middle - 6}
                height={12}
                fill={colour}
              />
            )}
          </g>
        );
      })}
    </svg>
  );
}

function Unit(props: { children: string }) {
  return props.children ? (
    <span className="text-ink-3">
      {THIN}
      {props.children}
    </span>
  ) : null;
}
