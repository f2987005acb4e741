/** Between two rows of the course: how far one is ahead of the baseline where steps and timings end. */
import type { Racer } from "../api/client";
import { seconds } from "./LeadRule";

const LETTER = 6.4;
/** A lead that is less is drawn as none. */
const LEAST_S = 0.005;
/** A timing's lead is shown beside that of its step where they differ by so much. */
const APART_S = 0.02;
const APART_SHARE = 0.05;

/** A lead as a line: where the racer and the baseline end something, and what is written there. */
export type Lead = { mine: number; theirs: number; words: string };

/** Leads that have room, those of steps first, by where they lie on a drawing. */
export function leadsOf(racer: Racer, base: Racer, x: (at: number) => number): Lead[] {
  const line = (mine: number, theirs: number, lead: number | null, name = "") =>
    lead === null || Math.abs(lead) < LEAST_S || Math.min(mine, theirs) <= 0
      ? []
      : [{ mine: x(mine), theirs: x(theirs), words: `${name} ${seconds(lead)}`.trim() }];
  const steps = racer.steps.flatMap((step) => {
    const other = step.match === null ? undefined : base.steps[step.match];
    return other ? line(step.end_s, other.end_s, step.lead_s) : [];
  });
  const timings = racer.timings.flatMap((timing) => {
    const lead = timing.lead_s ?? 0;
    const step = racer.steps.findLast((one) => one.start_s <= timing.start_s);
    const apart = Math.abs(lead - (step?.lead_s ?? 0));
    if (apart < Math.max(APART_S, APART_SHARE * Math.abs(lead))) return [];
    return line(timing.end_s, timing.base_end_s ?? 0, timing.lead_s, timing.name);
  });
  const kept: Lead[] = [];
  for (const one of [...steps, ...timings])
    if (kept.every((other) => end(other) < start(one) || end(one) < start(other))) kept.push(one);
  return kept;
}

const start = (lead: Lead) => Math.min(lead.mine, lead.theirs);
const words = (lead: Lead) => Math.max(lead.mine, lead.theirs) + 4;
const end = (lead: Lead) => words(lead) + lead.words.length * LETTER + 4;

export function Leads(props: {
  racer: Racer;
  base: Racer;
  x: (at: number) => number;
  y: number;
  height: number;
  up: boolean;
}) {
  const { y, height } = props;
  const middle = y + height / 2;
  const [own, its] = props.up ? [y + height, y] : [y, y + height];
  return leadsOf(props.racer, props.base, props.x).map((lead) => {
    const { mine, theirs } = lead;
    return (
      <g key={mine} stroke="currentColor" fill="none">
        <path d={`M${theirs},${its}V${middle}H${mine}V${own}`} strokeWidth={1.2} />
        {Math.abs(mine - theirs) > 5 && (
          <path
            d={
              mine < theirs
                ? `M${mine + 4},${middle - 3}l-4,3l4,3`
                : `M${mine - 4},${middle - 3}l4,3l-4,3`
            }
            strokeWidth={1.2}
          />
        )}
        <text
          x={words(lead)}
          y={middle + 4}
          fontSize={11.5}
          fontWeight={600}
          fill="currentColor"
          stroke="none"
        >
          {lead.words}
        </text>
      </g>
    );
  });
}
