/** The live run in one hand: time runs downwards, then the rounds and what is known so far. */
import { Link } from "react-router";
import type { Schemas, Study } from "../../api/client";
import { type Progress, useLive } from "../../api/live";
import { useMayChange } from "../../api/people";
import { useAbort, useMeasure, usePlan, useStop, useStudies } from "../../api/queries";
import { count, duration, significant, THIN } from "../../parts/text";
import { Verdict } from "../../parts/Verdict";
import { VariantMark, VariantName, variantColour } from "../../parts/variants";
import { GainMark, RuleGround } from "../../rule/marks";
import { reachFor, ruleScale } from "../../rule/scale";
import { BeingRead } from "./BeingRead";
import { MIB } from "./LiveLanes";
import { PhoneLanes } from "./PhoneLanes";
import { Restarting } from "./Restarting";
import { roundSeconds, runsLeft, stillNeeded, typicalSeconds } from "./remaining";
import { stepOf } from "./restart";

export function PhoneLive(props: { study: Study }) {
  const { study } = props;
  const live = useLive();
  const running = study.runs.find((run) => run.state === "running");
  const progress = running && live.progress?.run === running.id ? live.progress : null;
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 bg-head px-4 text-head-ink">
        <Link to="/" aria-label="all studies">
          <img src="/yardstick.svg" alt="" width={26} height={18} />
        </Link>
        <h1 className="min-w-0 flex-1 truncate font-semibold">{study.question}</h1>
        <svg width="9" height="9" role="img" aria-label={running ? "measuring" : "at rest"}>
          <circle cx="4.5" cy="4.5" r="4" fill={running ? "#e0b04a" : "#5bbfae"} />
        </svg>
      </header>
      <main className="min-h-0 flex-1 overflow-auto px-4 pb-6">
        {running ? (
          <Course study={study} run={running.id} progress={progress} calm={live.calm} />
        ) : (
          <div className="py-4">
            <p className="text-[17px] font-semibold">Nothing is being measured.</p>
            <BeingRead study={study} />
          </div>
        )}
        <RoundMarks study={study} />
        <SoFar study={study} />
        <Buttons study={study} run={running?.id} />
      </main>
    </div>
  );
}

/** The run under way from its start to where the run before it ended, downwards. */
function Course(props: { study: Study; run: number; progress: Progress | null; calm: boolean }) {
  const { study, progress } = props;
  const run = study.runs.find((one) => one.id === props.run);
  const variant = run?.variant ?? 0;
  const before = study.runs.findLast(
    (one) => one.variant === variant && one.outcome === "finished" && one.id !== props.run,
  );
  const typical = typicalSeconds(study.runs, variant);
  const elapsed = progress ? progress.elapsed_ns / 1e9 : 0;
  const frame = progress?.course.at(-1)?.longest;
  const cores = progress?.cores.at(-1)?.value;
  return (
    <section aria-label="the run under way">
      <div className="flex items-baseline justify-between gap-3 pt-3">
        <h2 className="min-w-0 truncate text-[20px] font-semibold">
          <VariantName index={variant} name={study.variants[variant]?.name ?? ""} />{" "}
          {stepOf(run, progress)}
        </h2>
        <span className="text-[20px] font-semibold whitespace-nowrap">{duration(elapsed)}</span>
      </div>
      {run && <Restarting run={run} />}
      <p className="flex justify-between gap-3 text-ink-2">
        <span>
          run {props.run}, {run?.round_label}, on {run?.rig}
        </span>
        <span className="whitespace-nowrap">
          {typical === null ? "first of its kind" : `of about ${duration(typical)}`}
        </span>
      </p>
      {progress && !props.calm ? (
        <>
          <div className="mt-2 grid grid-cols-[136px_74px_74px_74px] text-[12px]">
            <span />
            <Value
              name="frame time"
              text={frame == null ? "none" : `${significant(frame)}${THIN}ms`}
            />
            <Value
              name="processor"
              text={cores === undefined ? "…" : `${significant(cores, 2)}${THIN}cores`}
            />
            <Value name="memory" text={`${significant(progress.resident / MIB)}${THIN}MiB`} />
          </div>
          <PhoneLanes
            progress={progress}
            variant={variant}
            before={before?.id}
            whole={Math.max(typical ?? 0, elapsed * 1.05, 1)}
          />
        </>
      ) : (
        <p className="mt-3 text-ink-2">
          {props.calm
            ? "This is shown on the machine that measures, so it draws little."
            : "No word from the rig yet."}
        </p>
      )}
    </section>
  );
}

function Value(props: { name: string; text: string }) {
  return (
    <span>
      <span className="block text-ink-2">{props.name}</span>
      <b>{props.text}</b>
    </span>
  );
}

/** Every run as its variant's mark, a column a round: full when done, ringed while it runs. */
function RoundMarks(props: { study: Study }) {
  const { study } = props;
  const wanted = study.runs.filter(
    (run) => run.state !== "withdrawn" && run.purpose !== "check" && run.purpose !== "filmed",
  );
  if (!wanted.length) return null;
  const rounds = [...new Set(wanted.map((run) => run.round))].sort((a, b) => a - b);
  const left = runsLeft(study.runs);
  const number = wanted.filter((run) => run.state !== "queued").length;
  const seconds = left
    .filter((run) => run.state === "queued")
    .map((run) => typicalSeconds(study.runs, run.variant));
  const known = seconds.every((one) => one !== null);
  const all = seconds.reduce<number>((sum, one) => sum + (one ?? 0), 0);
  return (
    <section className="mt-2 border-t border-line pt-2">
      <div className="flex justify-between">
        <h2 className="font-semibold">
          {left.length ? `${number} of ${wanted.length} runs` : count(wanted.length, "run")}
        </h2>
        {left.length > 0 && known && all > 0 && (
          <span className="text-ink-2">about {duration(all)} to come after this one</span>
        )}
      </div>
      <div className="mt-1 flex flex-wrap gap-x-2 gap-y-1">
        {rounds.map((round) => {
          const runs = wanted.filter((run) => run.round === round);
          const name = runs[0]?.round_name ?? "";
          return (
            <div key={round} className="w-7 text-center text-[11px] text-ink-2">
              {runs
                .sort((a, b) => a.order_in_round - b.order_in_round)
                .map((run) => (
                  <Link
                    key={run.id}
                    to={`/runs/${run.id}`}
                    className="block"
                    aria-label={`run ${run.id}, round ${name}, ${study.variants[run.variant]?.name}, ${run.outcome || run.state}`}
                  >
                    <svg
                      width="26"
                      height="20"
                      viewBox="-13 -10 26 20"
                      opacity={run.state === "queued" ? 0.35 : 1}
                      aria-hidden="true"
                    >
                      <VariantMark index={run.variant} x={0} y={0} radius={4.6} />
                      {run.state === "running" && (
                        <circle r={8.4} fill="none" stroke="var(--brass)" strokeWidth={2} />
                      )}
                      {run.outcome !== "" && run.outcome !== "finished" && (
                        <line
                          x1={-7}
                          x2={7}
                          y1={7}
                          y2={-7}
                          stroke="var(--behind)"
                          strokeWidth={2}
                        />
                      )}
                    </svg>
                  </Link>
                ))}
              {name}
            </div>
          );
        })}
      </div>
    </section>
  );
}

/** What decides, each candidate on one rule, and what is still needed. */
function SoFar(props: { study: Study }) {
  const { study } = props;
  const summary = useStudies().data?.find((one) => one.id === study.id);
  const plan = usePlan(study.id);
  if (!summary) return null;
  const needed = stillNeeded(
    summary.answers,
    plan.data?.rounds_done ?? 0,
    plan.data?.looks_at ?? [],
    roundSeconds(study.runs, study.variants.length),
  );
  const subjects = Map.groupBy(summary.answers, (one) => `${one.metric} ${one.stretch.join()}`);
  const scale = ruleScale(170, reachFor(summary.answers.map((one) => one.gain ?? Number.NaN)));
  return (
    <section aria-label="known so far" className="mt-3 border-t border-line pt-2">
      <h2 className="font-semibold">Known so far</h2>
      {needed && <p className="text-ink-2">{needed}</p>}
      {[...subjects].map(([key, answers]) => (
        <div key={key} className="mt-1">
          <p className="font-semibold">{answers[0]?.subject.replace(/ (takes|is)$/, "")}</p>
          <div className="grid grid-cols-[fit-content(140px)_52px_1fr] items-center gap-2">
            {answers.map((answer) => (
              <OnRule key={answer.candidate} answer={answer} study={study} scale={scale} />
            ))}
          </div>
        </div>
      ))}
      <Link className="plain" to={`/studies/${study.id}/read`}>
        Read all differences
      </Link>
    </section>
  );
}

function OnRule(props: {
  answer: Schemas["AnswerOnRule"];
  study: Study;
  scale: ReturnType<typeof ruleScale>;
}) {
  const { answer, scale } = props;
  return (
    <div className="contents">
      <span className="min-w-0 truncate">
        <VariantName
          index={answer.candidate}
          name={props.study.variants[answer.candidate]?.name ?? ""}
        />
      </span>
      <Verdict of={answer.verdict} />
      {answer.gain === null ? (
        <span className="text-[12px] text-ink-2">{answer.why}</span>
      ) : (
        <span className="flex items-center gap-2">
          <svg viewBox="0 0 170 22" className="w-[46%] shrink-0" aria-hidden="true">
            <RuleGround scale={scale} height={22} band={answer.band} />
            <GainMark
              scale={scale}
              width={170}
              middle={11}
              colour={variantColour(answer.candidate)}
              gain={answer.gain}
              low={answer.gain_low}
              high={answer.gain_high}
              open={answer.verdict === "open"}
            />
          </svg>
          <span className="text-[13px]">{answer.change}</span>
        </span>
      )}
    </div>
  );
}

function Buttons(props: { study: Study; run: number | undefined }) {
  const { study, run } = props;
  const stop = useStop(study.id);
  const abort = useAbort(study.id);
  const measure = useMeasure(study.id);
  const trouble = stop.error ?? abort.error ?? measure.error;
  if (!useMayChange()) return null;
  return (
    <>
      <div className="mt-4 grid grid-cols-2 gap-3">
        {run === undefined ? (
          <button
            type="button"
            className="button col-span-2 h-11"
            disabled={measure.isPending}
            onClick={() => measure.mutate(1)}
          >
            Measure another round
          </button>
        ) : (
          <>
            <button
              type="button"
              className="button-quiet h-11"
              disabled={stop.isPending}
              onClick={() => stop.mutate(true)}
            >
              Stop after this run
            </button>
            <button
              type="button"
              className="button-quiet h-11"
              disabled={abort.isPending}
              onClick={() => abort.mutate(run)}
            >
              Abort this run
            </button>
          </>
        )}
      </div>
      {run !== undefined && <p className="mt-1 text-ink-2">What was measured so far is kept.</p>}
      {trouble && (
        <p role="alert" className="mt-1 text-behind">
          {trouble.message}
        </p>
      )}
    </>
  );
}
