/** One metric in the table of differences: readings, verdicts, the rule, its echoes. */
import { memo, useEffect, useRef } from "react";
import type { Board, Row } from "../../api/client";
import { THIN } from "../../parts/text";
import { Verdict } from "../../parts/Verdict";
import { variantColour } from "../../parts/variants";
import type { RuleScale } from "../../rule/scale";
import { LINE, RuleLines } from "./RuleLines";
import { differing, echoWords, inStep, rowKey, rowName } from "./rows";

export const MetricRow = memo(function MetricRow(props: {
  row: Row;
  board: Board;
  candidates: number[];
  nameWidth: number;
  scale: RuleScale;
  chosen: boolean;
  choose: (key: string) => void;
  echoes: Row[];
  open: boolean;
  unfold: (key: string) => void;
  /** Whether the step has to be named with it. */
  placed: boolean;
}) {
  const { row, board, candidates, scale } = props;
  const choose = () => props.choose(rowKey(row));
  const { name, of, depth: steps } = rowName(row);
  const depth = row.echo_of ? steps + 1 : steps;
  const base = row.medians[board.baseline];
  const element = useRef<HTMLTableRowElement>(null);
  const first = useRef(true);
  useEffect(() => {
    if (props.chosen && !first.current) element.current?.scrollIntoView({ block: "nearest" });
    first.current = false;
  }, [props.chosen]);
  const tone = row.judged ? "" : "text-ink-2";
  const ground = props.chosen ? "bg-card outline outline-1 outline-brass" : "hover:bg-card";
  return (
    <tr
      ref={element}
      className={`cursor-pointer border-b border-line-2 ${ground} ${tone}`}
      onClick={choose}
      aria-selected={props.chosen}
    >
      <td className="py-1 pr-2" style={{ paddingLeft: 12 + depth * 14 }}>
        <button type="button" className="text-left" onClick={choose}>
          {name} {of && <span className="text-ink-3">of {of} </span>}
          {props.placed && inStep(row) && <span className="text-ink-3">in {row.stretch[0]}</span>}
        </button>
        {props.echoes.length > 0 && (
          <EchoFold
            row={row}
            echoes={props.echoes}
            candidates={candidates}
            open={props.open}
            unfold={props.unfold}
          />
        )}
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
            className="grid items-center gap-1"
            style={{
              height: LINE,
              gridTemplateColumns: props.nameWidth ? `${props.nameWidth}px 56px` : "56px",
            }}
          >
            {props.nameWidth > 0 && (
              <span
                className="truncate text-right font-dense text-[12px] font-semibold"
                style={{ color: variantColour(index) }}
                title={board.variants[index]}
              >
                {board.variants[index]}
              </span>
            )}
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
      <td className="py-1 pr-1 pl-3 text-right whitespace-nowrap">
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
              {difference?.change_text || "–"}
            </div>
          );
        })}
      </td>
    </tr>
  );
});

/** How many metrics say the same fact in another form, and whether all agree; shows them. */
function EchoFold(props: {
  row: Row;
  echoes: Row[];
  candidates: number[];
  open: boolean;
  unfold: (key: string) => void;
}) {
  const others = differing(props.row, props.echoes, props.candidates);
  const text = echoWords(props.echoes, others, props.candidates);
  return (
    <button
      type="button"
      aria-expanded={props.open}
      title="Metrics that follow from this one by definition. The fact is counted once."
      className={`block text-left text-[12px] ${others.length ? "text-behind" : "text-ink-2"}`}
      onClick={(event) => {
        event.stopPropagation();
        props.unfold(rowKey(props.row));
      }}
    >
      {props.open ? "▾" : "▸"} {text}
    </button>
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
