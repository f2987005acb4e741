/** Does one number do? For each metric what the second factor's step does in each row. */
import { Fragment } from "react";
import type { CrossedMetric, Crossing } from "../api/crossing";
import { count } from "../parts/text";
import { GainMark, RuleGround } from "../rule/marks";
import { reachFor, ruleScale } from "../rule/scale";

const WIDTH = 118;
const MOST = 14;

export function OneNumber(props: {
  crossing: Crossing;
  chosen: string;
  choose: (metric: CrossedMetric) => void;
}) {
  const { crossing } = props;
  const shown = crossing.metrics.slice(0, MOST);
  return (
    <section className="mt-4">
      <h2 className="font-semibold">
        Does one number do?{" "}
        <span className="font-normal text-ink-2">brass: how much the rows differ</span>
      </h2>
      <table className="mt-1 w-full">
        <tbody>
          {shown.map((one) => (
            <Fragment key={[one.metric, ...one.stretch].join("~")}>
              {one.steps.map((step) => (
                <tr
                  key={step.column}
                  className={`border-t border-line-2 ${[one.metric, ...one.stretch].join("~") === props.chosen ? "bg-card" : ""}`}
                >
                  <th scope="row" className="py-0.5 text-left font-normal">
                    <button
                      type="button"
                      className="text-left leading-tight"
                      onClick={() => props.choose(one)}
                    >
                      {one.label}
                      {crossing.columns.length > 2 && (
                        <span className="text-ink-2"> {crossing.columns[step.column]}</span>
                      )}
                    </button>
                  </th>
                  <td className="w-[118px]">
                    <Step step={step} band={crossing.band} />
                  </td>
                  <td className="w-[92px] text-right text-[12px] leading-tight">
                    {step.answer === "read the cells" ? (
                      <b className="text-brass">read the cells</b>
                    ) : step.answer === "one number" ? (
                      "one number"
                    ) : (
                      <>
                        {step.answer}
                        {step.rounds !== null && (
                          <span className="block text-ink-2">
                            about {count(step.rounds, "round")} would tell
                          </span>
                        )}
                      </>
                    )}
                  </td>
                </tr>
              ))}
            </Fragment>
          ))}
        </tbody>
      </table>
      {crossing.metrics.length > MOST && (
        <select
          aria-label="other metrics"
          className="field mt-1 w-full"
          value=""
          onChange={(event) => {
            const found = crossing.metrics[Number(event.target.value)];
            if (found && event.target.value) props.choose(found);
          }}
        >
          <option value="">{crossing.metrics.length - MOST} more metrics</option>
          {crossing.metrics.slice(MOST).map((one, n) => (
            <option key={[one.metric, ...one.stretch].join("~")} value={n + MOST}>
              {one.label}
            </option>
          ))}
        </select>
      )}
    </section>
  );
}

function Step(props: { step: CrossedMetric["steps"][number]; band: number }) {
  const { step } = props;
  const gains = [...step.effects, ...step.interactions].flatMap((one) =>
    one.gain === null ? [] : [Math.abs(one.gain)],
  );
  const scale = ruleScale(WIDTH, reachFor([Math.max(0.05, ...gains) * 1.1]));
  const height = 8 + 9 * Math.max(1, step.effects.length);
  return (
    <svg width={WIDTH} height={height} aria-hidden="true" className="block">
      <RuleGround scale={scale} height={height} band={props.band} />
      {step.effects.map((one, n) =>
        one.gain === null ? null : (
          <circle
            key={one.to_cell.join()}
            cx={scale.x(one.gain)}
            cy={5 + n * 5}
            r={2.8}
            fill="var(--ink)"
          />
        ),
      )}
      {step.interactions.map((one) =>
        one.gain === null ? null : (
          <GainMark
            key={one.row}
            scale={scale}
            width={WIDTH}
            middle={height - 6}
            colour="var(--brass)"
            gain={one.gain}
            low={one.low}
            high={one.high}
            open={one.verdict === "open"}
          />
        ),
      )}
    </svg>
  );
}
