/** The plan in a sentence: when it stops, where it runs, in which order, and how long that takes. */
import type { Try } from "../../api/asking";
import type { Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useAskChange, useChangePlan, usePlan, useRigs } from "../../api/queries";
import { NumberInPlace } from "../../parts/InPlace";
import { SheetPart } from "../../parts/Sheet";
import { duration } from "../../parts/text";
import { isThere } from "../../workshop/apart";
import { RoundOrder } from "../measure/RoundOrder";
import { typicalSeconds } from "../measure/remaining";
import { planMinutes } from "./readiness";

const SHOWN_ROUNDS = 6;

export function PlanPart(props: { study: Study; tries: Try[]; proposed: boolean }) {
  const { study } = props;
  const plan = usePlan(study.id);
  const change = useChangePlan(study.id);
  const ask = useAskChange(study.id);
  const rigs = useRigs();
  const mayChange = useMayChange();
  const there = (rigs.data ?? []).filter(isThere);
  if (!plan.data) return null;
  const locked = plan.data.state === "running" || !mayChange;
  const seconds = secondsOfARun(study, props.tries);
  const minutes =
    seconds && study.variants.length > 1
      ? planMinutes(seconds, study.variants.length, plan.data)
      : null;
  return (
    <SheetPart
      name="Plan"
      note={props.proposed ? "proposed" : "said"}
      state={props.proposed ? "proposed" : "said"}
    >
      <fieldset disabled={locked} className="leading-7">
        <legend className="sr-only">the plan</legend>
        {plan.data.stop === "fixed" ? (
          <>
            Measure{" "}
            <NumberInPlace
              label="number of rounds"
              value={plan.data.rounds}
              least={2}
              most={60}
              className="w-10"
              keep={(rounds) => change.mutate({ rounds: Math.round(rounds ?? 8) })}
            />{" "}
            rounds
          </>
        ) : (
          <>
            Stop once every main metric is{" "}
            {plan.data.stop === "precise" ? `known to ± ${plan.data.precision} %` : "decided"},
            after{" "}
            <NumberInPlace
              label="most rounds"
              value={plan.data.cap}
              least={2}
              most={60}
              className="w-10"
              keep={(cap) => change.mutate({ cap: Math.round(cap ?? 20) })}
            />{" "}
            rounds at the latest
          </>
        )}
        {plan.data.cold_rounds > 0 && "; the first is cold and stands apart"}. Variants take turns.
        Measured on{" "}
        <select
          aria-label="rig it is measured on"
          className="field"
          value={study.rig ?? ""}
          onChange={(event) => ask.mutate({ rig: event.target.value || null })}
        >
          <option value="">{there.length === 1 ? there[0]?.name : "any rig that is free"}</option>
          {there.length !== 1 && there.map((rig) => <option key={rig.name}>{rig.name}</option>)}
        </select>
      </fieldset>
      <p className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1 text-[12px] text-ink-2">
        {plan.data.coming
          .filter((round) => round.order.length > 0)
          .slice(0, SHOWN_ROUNDS)
          .map((round) => (
            <RoundOrder key={round.number} round={round} study={study} />
          ))}
        {minutes && seconds && (
          <span>
            about {duration(seconds)} a run, {Math.max(1, Math.round(minutes[0]))} to{" "}
            {Math.max(1, Math.round(minutes[1]))} min in all
          </span>
        )}
      </p>
      {(change.error ?? ask.error) && (
        <p role="alert" className="text-behind">
          {(change.error ?? ask.error)?.message}
        </p>
      )}
    </SheetPart>
  );
}

/** Starting and ending a session, and handing it over, beside what is played, seconds. */
const AROUND_A_RUN = 3;

/** Seconds a run takes: of those that finished, else from trying and the script's own schedule. */
function secondsOfARun(study: Study, tries: Try[]): number | null {
  const known = study.variants.flatMap((one) => typicalSeconds(study.runs, one.position) ?? []);
  if (known.length) return known.reduce((sum, one) => sum + one, 0) / known.length;
  const tried = tries.filter((one) => one.outcome === "finished");
  if (!tried.length) return null;
  const started = tried.reduce((sum, one) => sum + one.elapsed_s, 0) / tried.length;
  const scheduled = study.script.stretches.reduce((sum, one) => sum + one.scheduled_s, 0);
  return started + scheduled + AROUND_A_RUN;
}
