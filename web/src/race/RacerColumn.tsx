/** One racer: its film or its picture, its step, its clock, its lanes. */
import type { Racer, Trace } from "../api/client";
import { VariantName, variantColour } from "../parts/variants";
import { type RaceClock, useShownInstant } from "./clock";
import { Drawn } from "./Drawn";
import { Film, type Skew } from "./Film";
import { stepAt, timed, timingAt } from "./place";
import { RacerLanes, type Tops } from "./RacerLanes";

export function RacerColumn(props: {
  racer: Racer;
  number: number;
  ends: number;
  trace: Trace | undefined;
  tops: Tops;
  clock: RaceClock;
  skew: Skew;
  high: number;
}) {
  const { racer, clock } = props;
  const now = useShownInstant(clock);
  const colour = variantColour(racer.variant);
  const place = stepAt(racer, now);
  const step = racer.steps[place];
  const done = now >= racer.end_s;
  const timing = done ? undefined : timingAt(racer, now);
  const waits = now < props.ends ? "waits for the others" : "done";
  const said = done ? waits : step ? step.name : "has not begun";
  return (
    <section aria-label={racer.name} className="min-w-0">
      <div
        className="relative flex items-center justify-center bg-head"
        style={{ height: props.high }}
      >
        {racer.film ? (
          <Film
            racer={racer}
            clock={clock}
            skew={props.skew}
            description={`film of ${racer.name}, ${racer.label}`}
          />
        ) : (
          <Drawn racer={racer} trace={props.trace} now={now} colour={colour} />
        )}
        {done && (
          <div className="absolute inset-0 flex flex-col items-center justify-center bg-black/60 text-white">
            <p className="text-[22px] font-semibold">
              {racer.outcome === "finished" ? "finished" : racer.outcome}
            </p>
            <p>after {racer.end_s.toFixed(2)} s</p>
          </div>
        )}
      </div>
      <p className="flex items-baseline gap-2 border-b border-line py-1">
        <span className="text-[15px]">
          <VariantName index={racer.variant} name={racer.name} />
        </span>
        <span className="min-w-0 flex-1 truncate">
          {said}
          {!done && place >= 0 && (
            <span className="text-ink-2">
              {step?.match === null
                ? ", a step of its own"
                : `, step ${place + 1} of ${racer.steps.length}`}
            </span>
          )}
          {timing && <span>; {timed(timing)}</span>}
        </span>
        <span className="font-mono text-[16px] tabular-nums">
          {Math.min(now, racer.end_s).toFixed(2)} s
        </span>
      </p>
      <RacerLanes racer={racer} trace={props.trace} tops={props.tops} now={now} colour={colour} />
    </section>
  );
}
