/** The whole race on one ruled time axis: steps of each, leads as dimension lines at their ends. */
import { useRef } from "react";
import type { Race, Racer } from "../api/client";
import { clipped, duration, THIN } from "../parts/text";
import { nearbyTicks } from "../parts/ticks";
import { VariantMark, variantColour } from "../parts/variants";
import { seconds } from "./LeadRule";

const WIDTH = 1232;
const LEAST_LEFT = 84;
const MOST_LEFT = 220;
const LETTER = 7.4;
const RIGHT = 62;
const RULE = 26;
const ROW = 23;
const BETWEEN = 24;

export function Course(props: {
  race: Race;
  rows: number[];
  now: number;
  seek: (at: number) => void;
}) {
  const { race, rows, now } = props;
  const drawing = useRef<SVGSVGElement>(null);
  const longest = Math.max(...rows.map((row) => (race.racers[row] as Racer).name.length));
  const left = Math.min(MOST_LEFT, Math.max(LEAST_LEFT, 24 + longest * LETTER));
  const letters = Math.floor((left - 24) / LETTER);
  const x = (at: number) => left + (at / race.end_s) * (WIDTH - left - RIGHT);
  const y = (row: number) => RULE + row * (ROW + BETWEEN);
  const height = y(rows.length) - BETWEEN + 4;
  const base = race.racers[race.baseline] as Racer;
  const middle = rows.indexOf(race.baseline);
  const ticks = nearbyTicks(0, race.end_s, 8).filter((tick) => tick <= race.end_s);
  const small = (ticks[1] ?? 1) / 5;
  const instant = (event: React.PointerEvent) => {
    const box = drawing.current?.getBoundingClientRect();
    if (!box) return 0;
    const place = ((event.clientX - box.left) / box.width) * WIDTH;
    return ((place - left) / (WIDTH - left - RIGHT)) * race.end_s;
  };
  return (
    <svg
      ref={drawing}
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="block w-full cursor-ew-resize touch-none select-none"
      role="img"
      aria-label="the course of the race: the steps of each and the leads at their ends"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        props.seek(instant(event));
      }}
      onPointerMove={(event) => {
        if (event.buttons & 1) props.seek(instant(event));
      }}
    >
      <defs>
        <pattern id="own-step" width={6} height={6} patternUnits="userSpaceOnUse">
          <path d="M0,6L6,0" stroke="currentColor" strokeWidth={1.3} />
        </pattern>
      </defs>
      {Array.from({ length: Math.floor(race.end_s / small) + 1 }, (_, n) => n * small).map((at) => (
        <line
          key={at}
          x1={x(at)}
          x2={x(at)}
          y1={0}
          y2={4}
          stroke="var(--brass)"
          strokeOpacity={0.6}
        />
      ))}
      {ticks.map((tick) => (
        <g key={tick}>
          <line x1={x(tick)} x2={x(tick)} y1={0} y2={9} stroke="var(--brass)" />
          <text x={x(tick)} y={21} fontSize={11} textAnchor="middle" fill="var(--ink-2)">
            {`${tick}${THIN}s`}
          </text>
        </g>
      ))}
      {rows.map((number, row) => {
        const racer = race.racers[number] as Racer;
        return (
          <g key={racer.run} style={{ color: variantColour(racer.variant) }}>
            <VariantMark index={racer.variant} x={6} y={y(row) + ROW / 2} />
            <text
              x={16}
              y={y(row) + ROW / 2 + 4.5}
              fontSize={13}
              fontWeight={600}
              fill={variantColour(racer.variant)}
            >
              {clipped(racer.name, letters)}
            </text>
            <Steps racer={racer} x={x} y={y(row)} now={now} />
            <text x={x(racer.end_s) + 8} y={y(row) + 15} fontSize={11.5} fill="var(--ink-2)">
              {duration(racer.end_s)}
            </text>
            {Math.abs(row - middle) === 1 && (
              <Leads
                racer={racer}
                base={base}
                x={x}
                y={row < middle ? y(row) + ROW : y(middle) + ROW}
                up={row > middle}
              />
            )}
          </g>
        );
      })}
      <line x1={x(now)} x2={x(now)} y1={4} y2={height} stroke="var(--brass)" strokeWidth={2} />
      <path d={`M${x(now) - 7},0h14l-7,10z`} fill="var(--brass)" />
    </svg>
  );
}

function Steps(props: { racer: Racer; x: (at: number) => number; y: number; now: number }) {
  const { racer, x, y } = props;
  return racer.steps.map((step) => {
    const from = x(step.start_s);
    const width = Math.max(1.5, x(step.end_s) - from);
    const letters = Math.floor((width - 10) / 6.4);
    const took = duration(step.end_s - step.start_s);
    const named = step.name.length <= letters;
    return (
      <g key={step.start_s}>
        <title>
          {`${step.name}: ${took}${step.match === null ? "; a step of its own: it counts in the time, not in the steps" : ""}`}
        </title>
        <rect
          x={from}
          y={y}
          width={width - 1}
          height={ROW}
          fill={step.match === null ? "url(#own-step)" : "currentColor"}
          fillOpacity={step.match === null ? 0.8 : 0.22}
        />
        <line x1={from} x2={from} y1={y} y2={y + ROW} stroke="currentColor" strokeWidth={1.6} />
        {letters > 4 && step.match !== null && (
          <text x={from + 5} y={y + 15.5} fontSize={11.5} fill="var(--ink)">
            {clipped(step.name, letters)}
            {named && letters > step.name.length + took.length + 1 && (
              <tspan dx={6} fill="var(--ink-2)">
                {took}
              </tspan>
            )}
          </text>
        )}
      </g>
    );
  });
}

/** Between two rows: from where the baseline ends a step to where the racer does. */
function Leads(props: {
  racer: Racer;
  base: Racer;
  x: (at: number) => number;
  y: number;
  up: boolean;
}) {
  const { racer, base, x, y, up } = props;
  const middle = y + BETWEEN / 2;
  let taken = 0;
  return racer.steps.map((step) => {
    const other = step.match === null ? undefined : base.steps[step.match];
    if (!other || step.lead_s === null) return null;
    const mine = x(step.end_s);
    const theirs = x(other.end_s);
    const words = Math.max(mine, theirs) + 4;
    if (words < taken || Math.abs(step.lead_s) < 0.005) return null;
    taken = words + 56;
    const [own, its] = up ? [y + BETWEEN, y] : [y, y + BETWEEN];
    return (
      <g key={step.start_s} stroke="currentColor" fill="none">
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
          x={words}
          y={middle + 4}
          fontSize={11.5}
          fontWeight={600}
          fill="currentColor"
          stroke="none"
        >
          {seconds(step.lead_s)}
        </text>
      </g>
    );
  });
}
