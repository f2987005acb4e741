/** The plan: how many rounds, when it looks, when it stops; how far it is on one ruled line. */
import type { Plan, PlanValues, Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useChangePlan, useConfirm, usePlan, useRigs } from "../../api/queries";
import { NumberInPlace } from "../../parts/InPlace";
import { count, moment } from "../../parts/text";
import { lookTicks } from "./looks";
import { RoundOrder } from "./RoundOrder";

export function PlanPanel(props: { study: Study }) {
  const plan = usePlan(props.study.id);
  if (!plan.data) return null;
  return (
    <section aria-label="plan" className="mt-3 border-y border-line py-3">
      <p className="text-[15px]">{standing(plan.data)}</p>
      <RoundsRule plan={plan.data} />
      <PlanWords study={props.study} plan={plan.data} />
      {plan.data.levels.length > 0 && (
        <p className="mt-1">
          Every round plays the session at each level of <b>{plan.data.ladder}</b>:{" "}
          {plan.data.levels.join(", ")}. Each level is compared with itself only.
        </p>
      )}
      <Confirmations texts={plan.data.confirms} />
      <Coming study={props.study} plan={plan.data} />
    </section>
  );
}

function standing(plan: Plan): string {
  if (plan.state === "running") {
    const next = plan.looks_at.find((look) => look > plan.rounds_done);
    return plan.stop === "fixed"
      ? `The plan runs: ${plan.rounds_done} of ${plan.rounds} rounds are done.`
      : `The plan runs: ${count(plan.rounds_done, "round")} done, it looks next after ${next ?? plan.cap}.${leftOpen(plan)}`;
  }
  if (plan.state === "ended") return `The plan has ended: ${plan.reason}.`;
  if (plan.state === "stopped") return "The plan was stopped by hand. Start it to go on.";
  return plan.rounds_done
    ? "Rounds were measured by hand; the plan has not been started."
    : "The plan has not been started.";
}

const MOST_NAMED = 3;

/** What the last look left open, for which the plan goes on. */
function leftOpen(plan: Plan): string {
  const names = plan.looks.at(-1)?.names ?? [];
  if (!names.length) return "";
  const more = names.length > MOST_NAMED ? ` and ${names.length - MOST_NAMED} more` : "";
  return ` Not decided yet: ${names.slice(0, MOST_NAMED).join(", ")}${more}.`;
}

const WIDTH = 820;

/** Rounds along a rule: done in brass, the looks as notches. */
function RoundsRule(props: { plan: Plan }) {
  const { plan } = props;
  const { last, ticks } = lookTicks(plan.looks_at, plan.rounds_done);
  const x = (round: number) => 4 + (round / last) * (WIDTH - 40);
  const looked = new Map(plan.looks.map((look) => [look.rounds, look]));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} 46`}
      className="mt-2 w-full"
      role="img"
      aria-label={`${plan.rounds_done} rounds done; looks after ${plan.looks_at.join(", ")}`}
    >
      <rect x={x(0)} y={14} width={x(last) - x(0)} height={10} fill="var(--brass-from)" />
      <rect
        x={x(0)}
        y={14}
        width={x(Math.min(plan.rounds_done, last)) - x(0)}
        height={10}
        fill="var(--brass)"
      />
      {ticks.map((round) => (
        <line
          key={round}
          x1={x(round)}
          x2={x(round)}
          y1={24}
          y2={27}
          stroke="var(--brass)"
          strokeOpacity={0.7}
        />
      ))}
      {plan.looks_at.map((look) => {
        const seen = looked.get(look);
        return (
          <g key={look}>
            <path d={`M${x(look) - 5},8h10l-5,7z`} fill="var(--ink)" />
            <text x={x(look)} y={39} fontSize={11} textAnchor="middle" fill="var(--ink-2)">
              {seen ? `${look}: ${seen.open} of ${seen.of} open` : look}
            </text>
          </g>
        );
      })}
      <text x={x(0)} y={8} fontSize={10.5} fill="var(--ink-3)">
        warm rounds
      </text>
    </svg>
  );
}

/** That others take more of the rig than a run may be disturbed by, before time is lost on it. */
function TooBusy(props: { study: Study; plan: Plan }) {
  const { background_cpu_share: share, background_cpu_limit: limit, state } = props.plan;
  if (share === null || share <= limit || state === "ended") return null;
  const ended = props.study.runs.filter((run) => run.ended && run.state === "read");
  const last = ended.reduce((a, b) => ((a?.ended ?? "") > (b.ended ?? "") ? a : b), ended[0]);
  // what took the rig when it was idle last does so no more
  if (state === "running" && last && last.outcome !== "disturbed") return null;
  return (
    <p role="status" className="text-behind">
      Other programs take {share} % of this rig while nothing is measured: as long as they do, every
      run is set apart as disturbed. End them there, or allow more.
    </p>
  );
}

/** The plan as sentences whose values are changed where they stand. */
function PlanWords(props: { study: Study; plan: Plan }) {
  const mayChange = useMayChange();
  const { plan } = props;
  const change = useChangePlan(props.study.id);
  const locked = plan.state === "running";
  const keep = (values: Partial<PlanValues>) => change.mutate(values);
  return (
    <fieldset disabled={locked || !mayChange} className="mt-1 leading-7">
      <legend className="sr-only">values of the plan</legend>
      Stop{" "}
      <select
        aria-label="when to stop"
        className="field"
        value={plan.stop}
        onChange={(event) => keep({ stop: event.target.value as PlanValues["stop"] })}
      >
        <option value="decided">once every main metric is decided</option>
        <option value="precise">once every main metric is known to ±</option>
        <option value="fixed">after a fixed number of rounds</option>
      </select>{" "}
      {plan.stop === "precise" && (
        <>
          <NumberInPlace
            label="precision, percent"
            value={plan.precision}
            least={0.1}
            most={50}
            keep={(precision) => keep({ precision: precision ?? 3 })}
          />
          {" %, "}
        </>
      )}
      {plan.stop === "fixed" ? (
        <>
          <NumberInPlace
            label="number of rounds"
            value={plan.rounds}
            least={2}
            most={60}
            keep={(rounds) => keep({ rounds: Math.round(rounds ?? 8) })}
          />{" "}
          rounds.
        </>
      ) : (
        <>
          or at{" "}
          <NumberInPlace
            label="most rounds"
            value={plan.cap}
            least={2}
            most={60}
            keep={(cap) => keep({ cap: Math.round(cap ?? 20) })}
          />{" "}
          rounds at the latest.
        </>
      )}{" "}
      Keep the first{" "}
      <NumberInPlace
        label="cold rounds"
        value={plan.cold_rounds}
        most={3}
        className="w-10"
        keep={(cold) => keep({ cold_rounds: Math.round(cold ?? 1) })}
      />{" "}
      apart as cold. Variants take turns{" "}
      <select
        aria-label="order"
        className="field"
        value={plan.order}
        onChange={(event) => keep({ order: event.target.value as PlanValues["order"] })}
      >
        <option value="balanced">in balanced order</option>
        <option value="alternating">forth and back</option>
      </select>
      , with{" "}
      <NumberInPlace
        label="rest between runs, seconds"
        value={plan.rest_s}
        most={3600}
        keep={(rest) => keep({ rest_s: rest ?? 0 })}
      />{" "}
      s of rest between runs. A run is repeated where others took more than{" "}
      <NumberInPlace
        label="share of the machine others may take, percent"
        value={plan.background_cpu_limit}
        least={0.5}
        most={100}
        className="w-12"
        keep={(limit) => keep({ background_cpu_limit: limit ?? 5 })}
      />{" "}
      % of the machine
      {!plan.background_cpu_limit_set && plan.background_cpu_share !== null
        ? ` (taken from the rig: ${plan.background_cpu_share} % of it are busy while nothing is measured).`
        : "."}{" "}
      <label className="whitespace-nowrap">
        <input
          type="checkbox"
          className="mr-1 accent-[var(--brass)]"
          checked={plan.film}
          onChange={(event) => keep({ film: event.target.checked })}
        />
        Film one more run of each
      </label>
      , to show and to race; it is in no comparison.
      <TooBusy study={props.study} plan={plan} />
      <p className="text-[12px] leading-5 text-ink-2">
        Before each run, not measured: {plan.before_each_run.join(" ")}
      </p>
      <p className="text-[12px] leading-5 text-ink-2">
        {allowance(plan)}
        {locked && " To change the plan, stop it first."}
      </p>
      {change.error && (
        <p role="alert" className="text-behind">
          {change.error.message}
        </p>
      )}
    </fieldset>
  );
}

/** What the script asks a person to have seen to, once for every rig. */
function Confirmations(props: { texts: string[] }) {
  const mayChange = useMayChange();
  const rigs = useRigs();
  const confirm = useConfirm();
  const there = (rigs.data ?? []).filter(
    (rig) => rig.state !== "never seen" && rig.state !== "revoked",
  );
  if (!props.texts.length) return null;
  const asked = (text: string, name: string) =>
    confirm.isPending && confirm.variables.text === text && confirm.variables.name === name;
  return (
    <ul className="mt-1">
      {props.texts.flatMap((text) =>
        there.map((rig) => {
          const known = rig.confirmed.find((one) => one.text === text);
          return (
            <li key={`${text} ${rig.name}`}>
              <label className={known ? "text-ink-2" : "text-behind"}>
                <input
                  type="checkbox"
                  className="mr-2 accent-[var(--brass)]"
                  checked={known !== undefined || asked(text, rig.name)}
                  disabled={known !== undefined || !mayChange}
                  onChange={() => confirm.mutate({ name: rig.name, text })}
                />
                On {rig.name}: {text}
                {known
                  ? `, confirmed by ${known.by}, ${moment(known.at)}`
                  : "; its runs wait until somebody has seen to it"}
              </label>
            </li>
          );
        }),
      )}
    </ul>
  );
}

/** The order of the rounds to come, before any of them runs. */
function Coming(props: { study: Study; plan: Plan }) {
  return (
    <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1 text-[12px] text-ink-2">
      <span>next rounds, in this order:</span>
      {props.plan.coming.map((round) => (
        <RoundOrder key={round.number} round={round} study={props.study} />
      ))}
    </div>
  );
}

/** What the looks of a plan leave for each interval. */
function allowance(plan: Plan): string {
  const last = plan.looks_at.at(-1) ?? 0;
  if (plan.rounds_done > last)
    return `More rounds than the plan allows for: verdicts are stricter, intervals hold ${plan.level}.`;
  if (plan.rounds_done && !plan.looks_at.includes(plan.rounds_done))
    return `The plan judges after ${plan.looks_at.join(", ")} rounds; between these verdicts are stricter: intervals hold ${plan.level}.`;
  return plan.stop === "fixed"
    ? `One look at the end: intervals hold ${plan.level}.`
    : `Verdicts are given at looks only, not run by run. Several looks are allowed for: intervals hold ${plan.level} each, 95 % over all.`;
}
