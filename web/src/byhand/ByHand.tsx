/** A stopwatch for sessions that no script can drive: splits, in the plan's order of variants. */
import { useCallback, useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import type { HandTiming, Study } from "../api/client";
import { useByHand, useKeepHandRun } from "../api/queries";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, significant, THIN } from "../parts/text";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { Reaction } from "./Reaction";
import {
  cutOff,
  type Presses,
  plusMinus,
  type Split,
  type Spread,
  splitsOf,
  underWay,
} from "./stopwatch";

const KEPT = "yardstick-reaction";

export function ByHand() {
  const id = Number(useParams().study);
  const hand = useByHand(id);
  return (
    <OfStudy id={id}>
      {(study) => (
        <>
          <h1 className="text-[20px] font-semibold">Time it by hand</h1>
          {hand.isPending && <Waiting what="whose turn it is" />}
          {hand.error && <Trouble what="Whose turn it is" error={hand.error} />}
          {hand.data && <Body study={study} hand={hand.data} />}
        </>
      )}
    </OfStudy>
  );
}

function remembered(): Spread | null {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "null") as Spread | null;
  } catch {
    return null;
  }
}

function Body(props: { study: Study; hand: HandTiming }) {
  const [spread, setSpread] = useState<Spread | null>(remembered);
  const [exercise, setExercise] = useState(false);
  const found = useCallback((now: Spread) => {
    localStorage.setItem(KEPT, JSON.stringify(now));
    setSpread(now);
    setExercise(false);
  }, []);
  if (exercise) return <Reaction found={found} leave={() => setExercise(false)} />;
  return (
    <>
      <p className="mt-1 max-w-[760px] text-ink-2">
        For sessions that no script can drive. Press once when a step is done: the next one begins
        with the same press. The page tells you whose turn it is. Readings are marked as timed by
        hand, and their intervals allow for how much your reactions vary.
      </p>
      {spread ? (
        <>
          <p className="mt-2">
            Your reactions differ by {Math.round(spread.spread_ms)}
            {THIN}ms (standard deviation of {spread.trials}): every timing is known to ±{" "}
            {significant(plusMinus(spread), 2)}
            {THIN}s.{" "}
            <button type="button" className="text-brass" onClick={() => setExercise(true)}>
              Measure them again
            </button>
          </p>
          <Stopwatch {...props} spread={spread} />
        </>
      ) : (
        <p className="mt-4">
          <button type="button" className="button" onClick={() => setExercise(true)}>
            First: how much do your reactions differ?
          </button>
        </p>
      )}
      {!spread && <Coming {...props} />}
      <Done {...props} />
    </>
  );
}

/** The session as it will be timed: whose turn it is, and which presses end which steps. */
function Coming(props: { study: Study; hand: HandTiming }) {
  const { study, hand } = props;
  const steps = hand.steps.map((step) => step.name);
  return (
    <section aria-label="the session" className="mt-6 max-w-[760px]">
      <h2 className="font-semibold">
        What you will time, on{" "}
        <VariantName
          index={hand.turn.variant}
          name={study.variants[hand.turn.variant]?.name ?? ""}
        />{" "}
        first
      </h2>
      <ol className="mt-1">
        {steps.map((step, n) => (
          <li key={step} className="grid grid-cols-[24px_220px_1fr] border-b border-line-2 py-1">
            <span className="text-ink-3">{n + 1}</span>
            <span>{step}</span>
            <span className="text-ink-2">
              {n === 0 ? "press once as it begins, then " : ""}press when it is done
            </span>
          </li>
        ))}
      </ol>
      <p className="mt-2 text-ink-2">
        {count(steps.length + 1, "press", "presses")} a session. A wrong press is taken back with{" "}
        <kbd>Backspace</kbd>; a step that never ends is said with <kbd>x</kbd>. Your reactions are
        measured first, for they are what such a timing cannot be better than.
      </p>
    </section>
  );
}

function Stopwatch(props: { study: Study; hand: HandTiming; spread: Spread }) {
  const { study, hand, spread } = props;
  const { turn } = hand;
  const steps = hand.steps.map((step) => step.name);
  const [presses, setPresses] = useState<Presses>([]);
  const [given, setGiven] = useState<Split[] | null>(null);
  const keep = useKeepHandRun(study.id);
  const place = underWay(presses);
  const over = given !== null || place >= steps.length;
  const splits = given ?? splitsOf(presses, steps);
  const press = (at: number) => !over && setPresses((now) => [...now, at]);
  const undo = () => {
    if (given) setGiven(null);
    else setPresses((now) => now.slice(0, -1));
  };
  const again = () => {
    setPresses([]);
    setGiven(null);
  };
  const send = () => {
    if (!over || !splits.length || keep.isPending) return;
    keep.mutate(
      {
        round: turn.round,
        variant: turn.variant,
        splits,
        spread_ms: spread.spread_ms,
        trials: spread.trials,
      },
      { onSuccess: again },
    );
  };
  useKeys("Stopwatch", [
    { keys: " ", does: "start, next step", act: () => press(performance.now()) },
    { keys: "Backspace", does: "undo the last press", act: undo },
    { keys: "Enter", does: "keep this session", act: send },
    {
      keys: "x",
      does: "it never got there: end here",
      act: () => place >= 0 && !over && setGiven(cutOff(presses, steps, performance.now())),
    },
  ]);
  return (
    <section aria-label="stopwatch" className="mt-4 grid max-w-[980px] grid-cols-[1fr_300px] gap-8">
      <div>
        <p className="text-[15px]">
          Now <VariantName index={turn.variant} name={study.variants[turn.variant]?.name ?? ""} />,{" "}
          {turn.round_label}{" "}
          <span className="text-ink-2">
            (this round: {turn.order.map((index) => study.variants[index]?.name).join(", then ")})
          </span>
        </p>
        <ol className="mt-2">
          {steps.map((step, n) => {
            const split = splits.find((one) => one.step === step);
            const now = n === place && !over;
            return (
              <li
                key={step}
                aria-current={now ? "step" : undefined}
                className={`grid grid-cols-[24px_1fr_140px] items-baseline border-b border-line-2 py-1 ${
                  now ? "bg-brass-soft font-semibold" : ""
                }`}
              >
                <span className="text-ink-3">{n + 1}</span>
                <span>{step}</span>
                <span className="text-right font-mono">
                  {now ? (
                    <Running since={presses[n] ?? 0} />
                  ) : split ? (
                    `${split.reached ? "" : "> "}${(split.end_s - split.start_s).toFixed(2)} s`
                  ) : (
                    ""
                  )}
                </span>
              </li>
            );
          })}
        </ol>
        {keep.error && (
          <p role="alert" className="mt-2 text-behind">
            {keep.error.message}
          </p>
        )}
      </div>
      <div className="flex flex-col gap-2">
        <button
          type="button"
          className="button h-[110px] text-[20px]"
          disabled={over}
          onPointerDown={(event) => press(event.timeStamp)}
        >
          {place < 0
            ? `Start “${steps[0]}”`
            : over
              ? "all steps timed"
              : place + 1 < steps.length
                ? `“${steps[place]}” is done`
                : `“${steps[place]}” is done: end`}
          <span className="block text-[12px] font-normal">space bar</span>
        </button>
        <button type="button" className="button-quiet" disabled={!presses.length} onClick={undo}>
          Undo the last press <kbd>Backspace</kbd>
        </button>
        <button
          type="button"
          className="button-quiet"
          disabled={place < 0 || over}
          onClick={() => setGiven(cutOff(presses, steps, performance.now()))}
        >
          It never got there <kbd>x</kbd>
        </button>
        <button type="button" className="button-quiet" disabled={!presses.length} onClick={again}>
          Begin this session again
        </button>
        <button
          type="button"
          className="button"
          disabled={!over || !splits.length || keep.isPending}
          onClick={send}
        >
          Keep it <kbd>Enter</kbd>
        </button>
        <p className="text-right font-mono">
          {splits.length > 0 && `${(splits.at(-1)?.end_s ?? 0).toFixed(2)} s in all`}
        </p>
      </div>
    </section>
  );
}

/** Seconds since a press, as they pass. */
function Running(props: { since: number }) {
  const [now, setNow] = useState(performance.now());
  useEffect(() => {
    const timer = window.setInterval(() => setNow(performance.now()), 50);
    return () => window.clearInterval(timer);
  }, []);
  return <>{`${Math.max(0, (now - props.since) / 1000).toFixed(1)} s`}</>;
}

function Done(props: { study: Study; hand: HandTiming }) {
  const { hand, study } = props;
  if (!hand.done.length) return null;
  return (
    <section aria-label="timed so far" className="mt-6 max-w-[980px]">
      <h2 className="font-semibold">{count(hand.done.length, "session")} timed by hand so far</h2>
      <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
        {hand.done.map((run) => (
          <span key={run.id} className="whitespace-nowrap">
            <VariantName index={run.variant} name={study.variants[run.variant]?.name ?? ""} />{" "}
            <Link className="plain" to={`/runs/${run.id}`}>
              run {run.id}
            </Link>
            {run.outcome !== "finished" && ` ${run.outcome}`}
          </span>
        ))}
      </div>
      <p className="mt-2">
        <Link className="plain" to={`/studies/${study.id}/read`}>
          Read the study
        </Link>
      </p>
    </section>
  );
}
