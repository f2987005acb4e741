/** The evidence of one metric: the answer in a sentence, the interval, runs, distribution, doubts. */
import { Link } from "react-router";
import type { Board, Difference, Row, Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useDistribution, useTerm } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { NumberInPlace } from "../../parts/InPlace";
import { QuantileCurves } from "../../parts/QuantileCurves";
import { count, significant, THIN } from "../../parts/text";
import { Verdict } from "../../parts/Verdict";
import { VariantName, variantColour } from "../../parts/variants";
import { Caveat } from "../Caveat";
import { RunsInOrder } from "./RunsInOrder";
import { standsByChoice, whyCounted } from "./rows";

const OF_FRAMES = /rate|frame|low|stutter|spikes|evenness|on_target|steadiness/;

export function Evidence(props: { study: Study; board: Board; row: Row; candidates: number[] }) {
  const { row, board, study, candidates } = props;
  const frames = OF_FRAMES.test(row.metric) && row.stretch.length > 1;
  const distribution = useDistribution(study.id, row.stretch, frames);
  const samples = row.samples.flat();
  const brought = samples.length > 0 && samples.every((sample) => sample.round < 0);
  return (
    <>
      <p className="text-[12px] font-semibold text-brass">
        {row.stretch.join(" · ")} {row.metric !== "duration" && `· ${row.name}`}
      </p>
      <p className="mt-1 text-[17px] leading-snug">{row.sentence}</p>
      <div className="mt-3 space-y-2.5">
        {candidates.map((index) => {
          const difference = row.differences[index];
          return difference ? (
            <OneDifference
              key={index}
              index={index}
              name={board.variants[index] ?? ""}
              level={board.level}
              difference={difference}
            />
          ) : null;
        })}
      </div>
      <Counted study={study} board={board} row={row} />
      {row.metric.startsWith("memory_growth") &&
        board.growing
          .filter((one) => one.stretch.join("~") === row.stretch.join("~"))
          .map((one) => (
            <p key={one.variant} className="mt-2">
              {one.text}
            </p>
          ))}
      <h2 className="mt-4 font-semibold">
        {brought ? "Runs, in the order of their files" : "Runs, in the order taken"}
      </h2>
      <RunsInOrder row={row} study={study} />
      <NotCompared row={row} board={board} />
      {frames && distribution.data && distribution.data.curves.length > 0 && (
        <>
          <h2 className="mt-3 font-semibold">Share of frames done within</h2>
          <QuantileCurves
            shares={distribution.data.shares}
            curves={distribution.data.curves.map((curve) => ({
              key: String(curve.variant),
              colour: variantColour(curve.variant),
              ms: curve.ms,
            }))}
            note="mean of the runs' curves"
          />
        </>
      )}
      <dl className="mt-3 grid grid-cols-[92px_1fr] gap-y-1.5 border-t border-line pt-3">
        <dt className="text-ink-2">Definition</dt>
        <dd>
          {row.definition}. {row.higher_is_better ? "Higher" : "Lower"} is better; readings are
          medians over runs, the change is estimated {brought ? "over all runs" : "within rounds"}{" "}
          and may differ a little from theirs.
          {brought && " These were measured elsewhere: how, their files do not say."}
        </dd>
        {row.can_count && (
          <>
            <dt className="text-ink-2">Matters from</dt>
            <dd>
              <Material study={study} row={row} />
            </dd>
          </>
        )}
        {row.warnings.map((warning) => (
          <div key={warning} className="contents">
            <dt className="text-ink-2">Doubt</dt>
            <dd className="text-behind">{warning}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}

/** Whether this counts, and why; which form of the fact leads can be chosen. */
function Counted(props: { study: Study; board: Board; row: Row }) {
  const { row, board } = props;
  const mayChange = useMayChange();
  const term = useTerm(props.study.id);
  const stand = (family_role: "lead" | "apart" | "") =>
    term.mutate({
      metric: row.metric,
      stretch: row.stretch,
      family_role,
    });
  return (
    <p className="mt-2 text-ink-2">
      {whyCounted(row, board.rows)}
      {mayChange && row.echo_of && (
        <>
          {" "}
          <button type="button" className="act" onClick={() => stand("lead")}>
            count this form instead
          </button>
          {" · "}
          <button type="button" className="act" onClick={() => stand("apart")}>
            count it as well
          </button>
        </>
      )}
      {mayChange && standsByChoice(row, board.rows) && (
        <>
          {" "}
          <button type="button" className="act" onClick={() => stand("")}>
            count as usual
          </button>
        </>
      )}
      {term.error && (
        <span role="alert" className="block text-behind">
          {term.error.message}
        </span>
      )}
    </p>
  );
}

/** The smallest difference that matters here, changed in place; the verdicts follow. */
function Material(props: { study: Study; row: Row }) {
  const mayChange = useMayChange();
  const { row } = props;
  const term = useTerm(props.study.id);
  const keep = (change: {
    share?: number | null;
    amount?: number | null;
    counts?: boolean;
    decides?: boolean;
  }) =>
    term.mutate({
      metric: row.metric,
      stretch: row.stretch,
      ...change,
    });
  const usual = () => keep({ share: null, amount: null, counts: true });
  return (
    <>
      {row.material_share !== null && (
        <>
          <NumberInPlace
            label="percent that matters"
            value={row.material_share}
            least={0.01}
            most={1000}
            keep={(share) => keep({ share })}
          />
          {THIN}% and{" "}
        </>
      )}
      <NumberInPlace
        label="amount that matters"
        value={row.material_amount}
        keep={(amount) => keep({ amount })}
        className="w-16"
      />
      {THIN}
      {row.amount_unit}{" "}
      <label className="ml-2 whitespace-nowrap">
        <input
          type="checkbox"
          checked={row.judged}
          disabled={!mayChange}
          onChange={(event) => keep({ counts: event.target.checked })}
        />{" "}
        counts
      </label>{" "}
      <label
        className="ml-2 whitespace-nowrap"
        title="The question is about this: it is tested first, and answers on every page."
      >
        <input
          type="checkbox"
          checked={row.deciding}
          disabled={!mayChange || !row.judged}
          onChange={(event) => keep({ decides: event.target.checked })}
        />{" "}
        decides
      </label>{" "}
      <Acts>
        <button type="button" className="act" onClick={usual}>
          as usual
        </button>
      </Acts>
      {term.error && (
        <span role="alert" className="block text-behind">
          {term.error.message}
        </span>
      )}
    </>
  );
}

/** Readings that are shown and not compared: of cold runs, and of those left out. */
function NotCompared(props: { row: Row; board: Board }) {
  const { row, board } = props;
  const said = (sides: Row["samples"]) =>
    sides.flatMap((side, index) =>
      side.length
        ? [
            `${board.variants[index]} ${side
              .map((s) => (s.right_censored ? "> " : "") + significant(s.value * row.unit_factor))
              .join(", ")}`,
          ]
        : [],
    );
  const cold = said(row.cold);
  const leftOut = said(row.left_out);
  const unit = row.unit && THIN + row.unit;
  return (
    <div className="text-[12px] text-ink-2">
      {cold.length > 0 && (
        <p>
          cold: {cold.join(" · ")}
          {unit}
        </p>
      )}
      {leftOut.length > 0 && (
        <p>
          left out: {leftOut.join(" · ")}
          {unit}
        </p>
      )}
    </div>
  );
}

function OneDifference(props: {
  index: number;
  name: string;
  level: string;
  difference: Difference;
}) {
  const { difference } = props;
  const least = Math.min(difference.baseline_runs, difference.candidate_runs);
  return (
    <section>
      <p>
        <VariantName index={props.index} name={props.name} /> <Verdict of={difference.verdict} />{" "}
        {difference.interval_text && (
          <span>{difference.range_text || difference.interval_text}</span>
        )}
      </p>
      {difference.change_text && (
        <p title="What is known is the interval. Once a difference is called, its middle is more often too large than too small: large ones are called sooner.">
          in the middle {difference.change_text}
          {difference.percent_text && `: ${difference.percent_text}, ${difference.factor_text}`}
        </p>
      )}
      <p className="text-[12px] text-ink-2">
        {difference.range_text && `${props.level} interval ${difference.interval_text}, `}
        {difference.interval_text && !difference.range_text && `${props.level} interval, `}
        {count(least, "run")} a side{difference.change_text && `, ${difference.method}`}
        {difference.runs_to_decide != null &&
          `; about ${difference.runs_to_decide} rounds in all should decide`}
      </p>
      {difference.excluded_runs.length > 0 && (
        <p className="text-[12px] text-ink-2">
          set apart:{" "}
          {difference.excluded_runs.map(([run, why], place) => (
            <span key={`${run}`}>
              {place > 0 && ", "}
              <Link className="plain" to={`/runs/${run}`}>
                run {String(run)}
              </Link>{" "}
              {String(why)}
            </span>
          ))}
        </p>
      )}
      {difference.caveats.map((caveat) => (
        <p key={caveat.text} className="text-[12px] text-behind">
          <Caveat of={caveat} />
        </p>
      ))}
    </section>
  );
}
