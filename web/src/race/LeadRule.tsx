/** The lead as a rule: the baseline here in the middle, whoever is ahead to the right. */
import type { Race, Racer } from "../api/client";
import { MINUS, THIN } from "../parts/text";
import { nearbyTicks } from "../parts/ticks";
import { VariantMark, variantColour } from "../parts/variants";
import { GAP, type PinLabel, pinSides } from "./pinSides";
import { leadAt, stepsAhead } from "./place";

const WIDTH = 1232;
const TOP = 26;
const RULE = 26;
const STEPS = 18;
const LEVEL_S = 0.005;
/** About how wide a letter of a pin is, and one of what stands beside. */
const LETTER = 7.8;
const SMALL_LETTER = 6;

export function seconds(lead: number): string {
  const said = Math.abs(lead).toFixed(2);
  return `${lead < 0 ? MINUS : "+"}${said}${THIN}s`;
}

/** Who leads, in a sentence: done before, or ahead by so much. */
export function leadSentence(race: Race, now: number): string {
  const base = race.racers[race.baseline];
  if (!base) return "";
  const parts = race.racers.flatMap((racer, number) => {
    if (number === race.baseline) return [];
    const lead = leadAt(racer, now);
    const much = `${Math.abs(lead).toFixed(2)}${THIN}s`;
    if (now >= racer.end_s && now < base.end_s)
      return [`${racer.name} is done ${much} before ${base.name} will be`];
    if (now >= racer.end_s && now >= base.end_s)
      return Math.abs(lead) < LEVEL_S
        ? [`${racer.name} was done together with ${base.name}`]
        : [`${racer.name} was done ${much} ${lead > 0 ? "before" : "after"} ${base.name}`];
    if (Math.abs(lead) < LEVEL_S) return [`${racer.name} is level with ${base.name}`];
    return [`${racer.name} ${lead > 0 ? "leads" : "trails"} by ${much}`];
  });
  return parts.join("; ");
}

export function LeadRule(props: { race: Race; shown: number[]; now: number; reach: number }) {
  const { race, now, reach } = props;
  const base = race.racers[race.baseline] as Racer;
  const x = (lead: number) => WIDTH / 2 + (lead / reach) * (WIDTH / 2 - 24);
  const ticks = nearbyTicks(-reach, reach, 8).filter((tick) => Math.abs(tick) <= reach);
  const left = (step: number) => Math.max(0, x(step - now));
  const small = (ticks[1] ?? 1) - (ticks[0] ?? 0);
  const others = props.shown.filter((number) => number !== race.baseline);
  const within = (lead: number) => x(Math.min(Math.max(lead, -reach), reach));
  const pins = [base, ...others.map((number) => race.racers[number] as Racer)].map((racer) =>
    pinOf(racer, base, now, within),
  );
  const sides = pinSides(pins, WIDTH);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${TOP + RULE + STEPS}`}
      className="block w-full"
      role="img"
      aria-label={`lead of each over ${base.name}: ${leadSentence(race, now)}`}
    >
      <defs>
        <linearGradient id="lead-rule" x1="0" x2="0" y1="0" y2="1">
          <stop offset="0" stopColor="var(--brass-from)" />
          <stop offset="1" stopColor="var(--brass-to)" />
        </linearGradient>
        <pattern id="lead-done" width={7} height={7} patternUnits="userSpaceOnUse">
          <path d="M0,7L7,0" stroke="var(--line)" strokeWidth={1.4} />
        </pattern>
      </defs>
      <rect y={TOP} width={WIDTH} height={RULE} fill="url(#lead-rule)" />
      {ticks.map((tick) => (
        <g key={tick}>
          <line x1={x(tick)} x2={x(tick)} y1={TOP} y2={TOP + 11} stroke="var(--brass)" />
          {Array.from({ length: 4 }, (_, n) => x(tick + ((n + 1) * small) / 5))
            .filter((place) => place < WIDTH)
            .map((place) => (
              <line
                key={place}
                x1={place}
                x2={place}
                y1={TOP}
                y2={TOP + 5}
                stroke="var(--brass)"
                strokeOpacity={0.7}
              />
            ))}
          {tick !== 0 && (
            <text
              x={x(tick)}
              y={TOP + 22}
              fontSize={11}
              textAnchor="middle"
              fill="var(--brass-ink)"
            >
              {`${tick < 0 ? MINUS : "+"}${Math.abs(tick)}${THIN}s`}
            </text>
          )}
        </g>
      ))}
      {base.steps.map((step) => {
        const from = left(step.start_s);
        const to = Math.min(WIDTH, x(step.end_s - now));
        if (to <= from) return null;
        return (
          <g key={step.start_s}>
            <rect
              x={from}
              y={TOP + RULE + 1}
              width={to - from - 1}
              height={STEPS - 1}
              fill="var(--band)"
            />
            {to - from > 60 && (
              <text x={from + 6} y={TOP + RULE + 14} fontSize={11.5} fill="var(--ink)">
                {step.name.slice(0, Math.floor((to - from - 8) / 6.6))}
              </text>
            )}
          </g>
        );
      })}
      {x(base.end_s - now) < WIDTH && (
        <rect
          x={Math.max(0, x(base.end_s - now))}
          y={TOP + RULE + 1}
          width={WIDTH - Math.max(0, x(base.end_s - now))}
          height={STEPS - 1}
          fill="url(#lead-done)"
        />
      )}
      {pins.map((pin, place) => (
        <Pin key={pin.racer.run} pin={pin} left={sides[place] ?? pin.left} />
      ))}
    </svg>
  );
}

type PinOf = PinLabel & { racer: Racer; text: string; beside: string };

/** The pin of a racer: how much it leads by, and by how many steps. */
function pinOf(racer: Racer, base: Racer, now: number, at: (lead: number) => number): PinOf {
  if (racer === base) {
    const text = `${base.name} is here`;
    return { racer, at: at(0), text, beside: "", left: true, width: text.length * LETTER };
  }
  const lead = leadAt(racer, now);
  const steps = stepsAhead(racer, base, now);
  const text = `${racer.name} ${seconds(lead)}`;
  const beside =
    steps === 0
      ? ""
      : `${Math.abs(steps)} ${Math.abs(steps) === 1 ? "step" : "steps"} ${steps > 0 ? "on" : "back"}`;
  const width = text.length * LETTER + (beside ? 8 + beside.length * SMALL_LETTER : 0);
  return { racer, at: at(lead), text, beside, left: lead < 0, width };
}

function Pin(props: { pin: PinOf; left: boolean }) {
  const { racer, at, text, beside } = props.pin;
  const colour = variantColour(racer.variant);
  const side = props.left ? -1 : 1;
  return (
    <g>
      <line x1={at} x2={at} y1={14} y2={TOP + RULE + STEPS} stroke={colour} strokeWidth={2.5} />
      <VariantMark index={racer.variant} x={at} y={12} radius={5.5} />
      <text
        x={at + side * GAP}
        y={17}
        fontSize={14.5}
        fontWeight={600}
        textAnchor={props.left ? "end" : "start"}
        fill={colour}
      >
        {text}
        {beside && (
          <tspan fontSize={11.5} fontWeight={400} fill="var(--ink-2)" dx={8}>
            {beside}
          </tspan>
        )}
      </text>
    </g>
  );
}
