/** The live run in one hand: time runs downwards, then the rounds and what is known so far. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schemas, Study } from "../../api/client";
import { type Progress, useLive } from "../../api/live";
import { useMayChange } from "../../api/people";
import { useAbort, useMeasure, usePlan, useStop, useStudies } from "../../api/queries";
import { traceQuery, useRun } from "../../api/runs";
import { nearbyTicks } from "../../parts/ticks";
import { Verdict } from "../../parts/Verdict";
import { VariantMark, VariantName, variantColour } from "../../parts/variants";
import { count, duration, significant, THIN } from "../../parts/words";
import { GainMark, RuleGround } from "../../rule/marks";
import { reachFor, ruleScale } from "../../rule/scale";
import { roundedUp } from "./LiveLanes";
import { coldRoundsOf, roundName } from "./looks";
import { roundSeconds, runsLeft, stillNeeded, typicalSeconds } from "./remaining";

const MIB = 2 ** 20;

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
          <p className="py-4 text-[17px] font-semibold">Nothing is being measured.</p>
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
          {progress ? progress.step || "starting" : "is being prepared"}
        </h2>
        <span className="text-[20px] font-semibold whitespace-nowrap">{duration(elapsed)}</span>
      </div>
      <p className="flex justify-between gap-3 text-ink-2">
        <span>
          run {props.run}, round {run && roundName(run.round, run.cold, coldRoundsOf(study.runs))},
          on {run?.rig}
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
          <Lanes
            study={study}
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

const TALL = 352;
const LANE = 66;
const LEFT = 136;
const GAP = 8;

/** Steps, frame time, processor and memory, with time running downwards. */
function Lanes(props: {
  study: Study;
  progress: Progress;
  variant: number;
  before: number | undefined;
  whole: number;
}) {
  const { progress, whole } = props;
  const colour = variantColour(props.variant);
  const now = progress.elapsed_ns / 1e9;
  const y = (at: number) => 4 + (at / whole) * (TALL - 20);
  const { course } = progress;
  const longest = Math.max(20, ...course.map((one) => one.longest ?? 0));
  const past = useBefore(props.before);
  const most = {
    frames: roundedUp(longest),
    cores: Math.max(
      1,
      Math.ceil(
        Math.max(0, ...course.map((one) => one.cores ?? 0), ...past.cores.map((c) => c[1])),
      ),
    ),
    memory: roundedUp(
      Math.max(1, ...course.map((one) => one.resident / MIB), ...past.memory.map((m) => m[1])),
    ),
  };
  const x = (lane: number, share: number) =>
    LEFT + lane * (LANE + GAP) + Math.max(0, Math.min(1, share)) * LANE;
  const line = (lane: number, points: [number, number][], top: number) =>
    points.map(([at, value]) => `${x(lane, value / top).toFixed(1)},${y(at).toFixed(1)}`).join(" ");
  const cores = course.flatMap((one): [number, number][] =>
    one.cores === null ? [] : [[one.at, one.cores]],
  );
  const memory = course.map((one): [number, number] => [one.at, one.resident / MIB]);
  const filled = (lane: number, points: [number, number][], top: number) => {
    const [first, last] = [points[0], points.at(-1)];
    if (!first || !last) return "";
    return `${x(lane, 0)},${y(first[0])} ${line(lane, points, top)} ${x(lane, 0)},${y(last[0])}`;
  };
  const ticks = nearbyTicks(0, whole, 6).filter((tick) => tick <= whole);
  const ends = ["ms", "cores", "MiB"];
  return (
    <svg
      viewBox={`0 0 358 ${TALL}`}
      className="block w-full font-dense"
      role="img"
      aria-label="frame time, processor and memory of the run under way, time downwards"
    >
      <rect x={0} y={y(0)} width={24} height={y(now) - y(0)} fill="var(--brass-soft)" />
      {ticks.map((tick) => (
        <g key={tick}>
          <line x1={16} x2={24} y1={y(tick)} y2={y(tick)} stroke="var(--brass)" />
          <text x={13} y={y(tick) + 4} fontSize={11} textAnchor="end" fill="var(--ink-2)">
            {tick}
          </text>
        </g>
      ))}
      <text x={2} y={TALL - 3} fontSize={11} fill="var(--ink-2)">
        s
      </text>
      <StepBlocks {...props} past={past} y={y} now={now} />
      {[most.frames, most.cores, most.memory].map((top, lane) => (
        <g key={ends[lane]}>
          <line x1={x(lane, 0)} x2={x(lane, 0)} y1={y(0)} y2={y(whole)} stroke="var(--line)" />
          <line
            x1={x(lane, 1)}
            x2={x(lane, 1)}
            y1={y(0)}
            y2={y(whole)}
            stroke="var(--line)"
            strokeDasharray="2 3"
          />
          <text x={x(lane, 0)} y={TALL - 3} fontSize={11} fill="var(--ink-2)">
            0
          </text>
          <text x={x(lane, 1)} y={TALL - 3} fontSize={11} textAnchor="end" fill="var(--ink-2)">
            {top} {ends[lane]}
          </text>
        </g>
      ))}
      {course.map(
        (one) =>
          one.longest !== null && (
            <line
              key={one.at}
              x1={x(0, 0)}
              x2={x(0, one.longest / most.frames)}
              y1={y(one.at)}
              y2={y(one.at)}
              stroke={colour}
              strokeOpacity={0.6}
              strokeWidth={1.6}
            />
          ),
      )}
      {(
        [
          [1, cores, most.cores],
          [2, memory, most.memory],
        ] as const
      ).map(([lane, points, top]) => (
        <g key={lane}>
          <polygon points={filled(lane, points, top)} fill={colour} fillOpacity={0.16} />
          <polyline
            points={line(lane, points, top)}
            fill="none"
            stroke={colour}
            strokeWidth={1.6}
          />
        </g>
      ))}
      {(
        [
          [1, past.cores, most.cores],
          [2, past.memory, most.memory],
        ] as const
      ).map(([lane, points, top]) => (
        <polyline
          key={lane}
          points={line(
            lane,
            points.filter(([at]) => at > now && at <= whole),
            top,
          )}
          fill="none"
          stroke={colour}
          strokeOpacity={0.6}
          strokeDasharray="2 3"
        />
      ))}
      {past.cores.length > 0 && now < whole * 0.8 && (
        <text fontSize={11} fill="var(--ink-2)">
          <tspan x={x(0, 0) + 3} y={y(whole) - 20}>
            dashed: the
          </tspan>
          <tspan x={x(0, 0) + 3} y={y(whole) - 8}>
            run before
          </tspan>
        </text>
      )}
      <line x1={18} x2={358} y1={y(now)} y2={y(now)} stroke="var(--brass)" strokeWidth={2} />
      <path d={`M16,${y(now) - 5}l9,5l-9,5z`} fill="var(--brass)" />
    </svg>
  );
}

/** What the run before it of the same variant used, and when its steps began. */
interface Before {
  cores: [number, number][];
  memory: [number, number][];
  steps: { name: string; from: number; to: number }[];
}

function useBefore(run: number | undefined): Before {
  const detail = useRun(run ?? 0, run !== undefined);
  const end = detail.data?.record_s ?? 0;
  const trace = useQuery({
    ...traceQuery(run ?? 0, {
      from: 0,
      to: end,
      points: 200,
      counters: "subject.processor,subject.resident",
    }),
    enabled: run !== undefined && end > 0,
  });
  const points = (name: string): [number, number][] => {
    const counter = trace.data?.counters[name];
    return (counter?.at_s ?? []).map((at, place) => [at, counter?.mean[place] ?? 0]);
  };
  return {
    cores: points("subject.processor"),
    memory: points("subject.resident"),
    steps: (detail.data?.stretches ?? [])
      .filter((one) => one.kind === "step")
      .map((one) => ({ name: one.path[0] ?? "", from: one.start_s, to: one.end_s })),
  };
}

/** The steps done, the one under way in ink, and those to come as long as in the run before. */
function StepBlocks(props: {
  progress: Progress;
  past: Before;
  y: (at: number) => number;
  now: number;
  whole: number;
}) {
  const { progress, past, y, now, whole } = props;
  const seen = progress.steps;
  const current = seen.at(-1);
  const place = past.steps.findIndex((step) => step.name === current?.name);
  const shift = current && place >= 0 ? current.at - (past.steps[place]?.from ?? 0) : 0;
  const done = seen.slice(0, -1).map((step, n) => ({
    name: step.name,
    from: step.at,
    to: seen[n + 1]?.at ?? now,
    look: "done" as const,
  }));
  const here = current
    ? [
        {
          name: current.name,
          from: current.at,
          to: Math.max(now, (past.steps[place]?.to ?? now) + shift),
          look: "now" as const,
        },
      ]
    : [];
  const coming = (place >= 0 ? past.steps.slice(place + 1) : []).map((step) => ({
    name: step.name,
    from: Math.max(here[0]?.to ?? 0, step.from + shift),
    to: step.to + shift,
    look: "coming" as const,
  }));
  const fills = { done: "var(--line-2)", now: "var(--head)", coming: "none" };
  return [...done, ...here, ...coming].map((step) => {
    const [top, bottom] = [y(step.from), y(Math.min(whole, step.to))];
    if (bottom - top < 2) return null;
    return (
      <g key={step.name}>
        <rect
          x={28}
          y={top + 0.5}
          width={LEFT - 38}
          height={bottom - top - 1}
          fill={fills[step.look]}
          stroke={step.look === "coming" ? "var(--line)" : "none"}
        />
        {bottom - top > 14 && (
          <text
            x={34}
            y={top + 13}
            fontSize={12}
            fontWeight={600}
            fill={step.look === "now" ? "var(--head-ink)" : "var(--ink)"}
          >
            {step.name.length > 16 ? `${step.name.slice(0, 15)}…` : step.name}
          </text>
        )}
        {bottom - top > 30 && step.look === "done" && (
          <text x={34} y={top + 27} fontSize={11} fill="var(--ink-2)">
            {duration(step.to - step.from)}
          </text>
        )}
      </g>
    );
  });
}

/** Every run as its variant's mark, a column a round: full when done, ringed while it runs. */
function RoundMarks(props: { study: Study }) {
  const { study } = props;
  const wanted = study.runs.filter((run) => run.state !== "withdrawn" && run.purpose !== "check");
  if (!wanted.length) return null;
  const rounds = [...new Set(wanted.map((run) => run.round))].sort((a, b) => a - b);
  const cold = coldRoundsOf(study.runs);
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
          const name = roundName(round, !!runs[0]?.cold, cold);
          return (
            <div key={round} className="w-7 text-center text-[11px] text-ink-2">
              {runs
                .sort((a, b) => a.place - b.place)
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
          {answers.map((answer) => (
            <OnRule key={answer.candidate} answer={answer} study={study} scale={scale} />
          ))}
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
    <div className="grid grid-cols-[70px_52px_1fr] items-center gap-2">
      <VariantName
        index={answer.candidate}
        name={props.study.variants[answer.candidate]?.name ?? ""}
      />
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
