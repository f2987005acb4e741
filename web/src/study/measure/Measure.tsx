/** Measure: the rounds as they run, what happens now, and the button for another round. */
import { Link } from "react-router";
import type { Plan, RunSummary, Study } from "../../api/client";
import { useLive } from "../../api/live";
import { useMayChange } from "../../api/people";
import {
  useAbort,
  useMeasure,
  usePlan,
  useRigs,
  useStartPlan,
  useStop,
  useStudies,
} from "../../api/queries";
import { isKeptApart, KeptApart } from "../../logs/KeptApart";
import { Acts } from "../../parts/Acts";
import { Answers } from "../../parts/Answers";
import { useKeys } from "../../parts/keyboard";
import { Waiting } from "../../parts/Trouble";
import { count, duration, moment } from "../../parts/text";
import { VariantName } from "../../parts/variants";
import { SmallRule } from "../../rule/SmallRule";
import { isElsewhere } from "../ask/readiness";
import { BeingRead } from "./BeingRead";
import { LiveLanes } from "./LiveLanes";
import { PlanPanel } from "./PlanPanel";
import { Restarting } from "./Restarting";
import { Rounds } from "./Rounds";
import { roundSeconds, runsLeft, stillNeeded, typicalSeconds, wholeRounds } from "./remaining";
import { restartOf, stepOf } from "./restart";

export function Measure(props: { study: Study }) {
  const { study } = props;
  const measure = useMeasure(study.id);
  const stop = useStop(study.id);
  const start = useStartPlan(study.id);
  const plan = usePlan(study.id);
  const plans = plan.data && !["running", "ended"].includes(plan.data.state);
  const trouble = measure.error ?? start.error ?? stop.error;
  const studies = useStudies();
  // What stands above the rounds comes with them: they must not move away under the pointer.
  const known = !plan.isPending && !studies.isPending;
  const mayChange = useMayChange();
  const rigs = useRigs();
  const ready = (rigs.data ?? []).some((rig) => rig.state === "idle" || rig.state === "running");
  const running = study.runs.find((run) => run.state === "running");
  const left = runsLeft(study.runs);
  const drives = study.variants.some((one) => !isElsewhere(one));
  const may = mayChange && drives;
  useKeys("Measure", [
    { keys: "+", does: "measure another round", act: () => may && measure.mutate(1) },
    { keys: "p", does: "start the plan", act: () => may && plans && start.mutate(undefined) },
  ]);
  return (
    <div className="grid h-full grid-cols-[1fr_400px]">
      <div tabIndex={0} className="flex min-h-0 flex-col overflow-auto px-6 py-4">
        <div className="flex items-center gap-3">
          <h1 className="flex-1 text-[17px] font-semibold">
            {drives
              ? heading(study, left.length)
              : study.runs.length
                ? `${count(study.runs.length, "run")} brought in`
                : "Nothing has been measured yet"}
          </h1>
          {(left.length > 0 || plan.data?.state === "running") && (
            <Acts>
              <button type="button" className="button-quiet" onClick={() => stop.mutate(false)}>
                Stop all
              </button>
            </Acts>
          )}
          {drives && (
            <Acts>
              <button
                type="button"
                className={plans ? "button-quiet" : "button"}
                onClick={() => measure.mutate(1)}
              >
                Measure another round
              </button>
            </Acts>
          )}
          {plans && drives && (
            <Acts>
              <button type="button" className="button" onClick={() => start.mutate(undefined)}>
                Start the plan
              </button>
            </Acts>
          )}
        </div>
        {trouble && (
          <p role="alert" className="mt-2 text-behind">
            {trouble.message}
          </p>
        )}
        {!ready && left.length > 0 && (
          <p role="alert" className="mt-2 text-behind">
            {count(left.length, "run")} waiting, but no rig is connected. Nothing is lost: they
            start as soon as one is.
          </p>
        )}
        <Acts>
          <p className="mt-1 text-[12px] text-ink-2">
            Measured elsewhere?{" "}
            <Link className="plain" to={`/studies/${study.id}/bring-in`}>
              Bring in a log
            </Link>{" "}
            or{" "}
            <Link className="plain" to={`/studies/${study.id}/films`}>
              a film
            </Link>
            . No script can drive it?{" "}
            <Link className="plain" to={`/studies/${study.id}/by-hand`}>
              Time it by hand
            </Link>
            .
          </p>
        </Acts>
        {racing(study) && (
          <p className="mt-1 text-[12px] text-ink-2">
            See them side by side from the same moment:{" "}
            <Link className="plain" to={`/studies/${study.id}/race`}>
              Race them
            </Link>
            .
          </p>
        )}
        {!drives && <NothingToStart study={study} />}
        {known ? (
          <>
            {plan.data && drives && <SoFar study={study} plan={plan.data} />}
            {drives && <PlanPanel study={study} />}
            <KeptApart study={study} />
            <Rounds study={study} />
          </>
        ) : (
          <Waiting what="the plan and its rounds" />
        )}
      </div>
      <aside
        tabIndex={0}
        className="flex min-h-0 flex-col overflow-auto border-l border-line bg-card px-5 py-4"
      >
        {running ? <Now study={study} run={running} /> : <Idle study={study} />}
      </aside>
    </div>
  );
}

/** Whether runs of two variants could run side by side: those that are compared, at least. */
function racing(study: Study): boolean {
  const there = study.runs.filter((run) => run.state === "read" && !isKeptApart(run));
  return new Set(there.map((run) => run.variant)).size > 1;
}

/** Where no rig starts anything: because nothing is said yet, or because it is measured elsewhere. */
function NothingToStart(props: { study: Study }) {
  const { study } = props;
  if (study.variants.length > 0)
    return (
      <p className="mt-3 border-l-2 border-brass pl-3">
        No rig starts {study.variants.length > 1 ? "these variants" : "this variant"}: what was
        measured of them elsewhere is{" "}
        <Link className="plain" to={`/studies/${study.id}/bring-in`}>
          brought in
        </Link>
        , and stands below.
      </p>
    );
  return (
    <p className="mt-3 border-l-2 border-brass pl-3">
      There is nothing to start yet: say under{" "}
      <Link className="plain" to={`/studies/${study.id}/ask`}>
        Ask
      </Link>{" "}
      which variants are compared.
    </p>
  );
}

function heading(study: Study, left: number): string {
  const done = `${count(wholeRounds(study), "warm round")} measured`;
  return left ? `${done}, ${count(left, "run")} to go` : done;
}

/** What decides: how it stands, what it still needs; then all metrics on one small rule. */
function SoFar(props: { study: Study; plan: Plan }) {
  const { study } = props;
  const summary = useStudies().data?.find((one) => one.id === study.id);
  const needed = stillNeeded(
    summary?.answers ?? [],
    props.plan.rounds_done,
    props.plan.looks_at,
    roundSeconds(study.runs, study.variants.length),
  );
  if (!summary || (!needed && !summary.ticks.length)) return null;
  return (
    <section aria-label="What decides" className="mt-3 flex items-start gap-6">
      <div className="flex-1">
        <p className="mb-1 font-semibold">{needed}</p>
        <Answers small answers={summary.answers} variants={summary.variants} />
      </div>
      {summary.ticks.length > 0 && (
        <div className="text-right">
          <SmallRule
            ticks={summary.ticks}
            variants={summary.variants}
            baseline={summary.baseline}
          />
          <Link className="plain" to={`/studies/${study.id}/read`}>
            Read all {summary.ticks.length} differences
          </Link>
        </div>
      )}
    </section>
  );
}

/** The run under way: step, time, live frame time and processor. */
function Now(props: { study: Study; run: RunSummary }) {
  const { study, run } = props;
  const live = useLive();
  const abort = useAbort(study.id);
  const progress = live.progress?.run === run.id ? live.progress : null;
  const typical = typicalSeconds(study.runs, run.variant);
  const elapsed = progress ? progress.elapsed_ns / 1e9 : 0;
  const share = progress?.operations ? progress.position / progress.operations : 0;
  const waiting = runsLeft(study.runs).filter((other) => other.state === "queued");
  const later = waiting.reduce(
    (sum, other) => sum + (typicalSeconds(study.runs, other.variant) ?? typical ?? 0),
    0,
  );
  const remaining = typical === null ? null : Math.max(0, typical - elapsed) + later;
  return (
    <>
      <p className="text-[12px] font-semibold text-brass">
        run {run.id}, {run.round_label}, on {run.rig}
      </p>
      <h2 className="text-[17px] font-semibold">
        <VariantName index={run.variant} name={study.variants[run.variant]?.name ?? ""} />{" "}
        {stepOf(run, progress)}
      </h2>
      <Restarting run={run} />
      <StepBand steps={study.script.steps} now={progress?.step ?? ""} />
      <div
        className="mt-2 h-1.5 bg-line-2"
        role="progressbar"
        aria-label="operations done"
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
      >
        <div className="h-full bg-brass" style={{ width: `${share * 100}%` }} />
      </div>
      <p className="mt-1 flex justify-between text-ink-2">
        <span>
          {progress && `${duration(elapsed)} so far`}
          {!progress && !restartOf(run) && "no word from the rig yet"}
        </span>
        <span>
          {remaining === null
            ? "first of its kind: time left not known"
            : `about ${duration(Math.max(1, remaining))} left in all`}
        </span>
      </p>
      {progress && !live.calm && <LiveLanes progress={progress} variant={run.variant} />}
      {live.calm && (
        <p className="mt-3 text-[12px] text-ink-2">
          You are looking at this on the machine that measures. Live curves would slow the measured
          program down, so they are not drawn. Watch from another machine to see them live; the
          run's own page has them afterwards.
        </p>
      )}
      <Acts>
        <div className="mt-4">
          <button
            type="button"
            className="button-quiet"
            disabled={abort.isPending}
            onClick={() => abort.mutate(run.id)}
          >
            Abort this run
          </button>
          <p className="mt-1 text-[12px] text-ink-2">
            What was measured so far is kept; the next run follows.
          </p>
        </div>
      </Acts>
    </>
  );
}

function StepBand(props: { steps: string[]; now: string }) {
  const reached = props.steps.indexOf(props.now);
  return (
    <ol className="mt-3 flex gap-0.5">
      {props.steps.map((step, place) => (
        <li
          key={step}
          className={`min-w-0 flex-auto truncate px-1.5 py-1 font-dense text-[12px] ${
            place === reached
              ? "bg-head font-semibold text-head-ink"
              : place < reached
                ? "bg-brass-soft"
                : "bg-line-2 text-ink-2"
          }`}
          title={step}
          aria-current={place === reached ? "step" : undefined}
        >
          {step}
        </li>
      ))}
    </ol>
  );
}

function Idle(props: { study: Study }) {
  const { study } = props;
  const last = [...study.runs]
    .filter((run) => run.ended)
    .sort((a, b) => Date.parse(b.ended ?? "") - Date.parse(a.ended ?? ""))[0];
  const seconds = roundSeconds(study.runs, study.variants.length);
  return (
    <>
      <p className="text-[12px] font-semibold text-brass">now</p>
      <h2 className="text-[17px] font-semibold">Nothing is being measured.</h2>
      <BeingRead study={study} />
      {last && (
        <p className="mt-1 text-ink-2">
          The last run ended {moment(last.ended ?? null)}
          {last.rig && ` on ${last.rig}`}.
        </p>
      )}
      {seconds !== null && (
        <p className="mt-1 text-ink-2">A round takes about {duration(seconds)}.</p>
      )}
      {study.metrics > 0 && (
        <p className="mt-3">
          <Link className="plain" to={`/studies/${study.id}/read`}>
            Read the differences
          </Link>
        </p>
      )}
    </>
  );
}
