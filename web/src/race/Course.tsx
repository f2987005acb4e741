/** The whole race on one ruled time axis: steps of each, leads as dimension lines at their ends. */
import { useRef } from "react";
import type { Race, Racer } from "../api/client";
import { clipped, duration, THIN } from "../parts/text";
import { nearbyTicks } from "../parts/ticks";
import { VariantMark, variantColour } from "../parts/variants";
import { Leads } from "./Leads";
import { timed } from "./place";

const WIDTH = 1232;
const LEAST_LEFT = 84;
const MOST_LEFT = 220;
const LETTER = 7.4;
const RIGHT = 62;
const RULE = 26;
const ROW = 23;
const BETWEEN = 24;
/** How high what is timed lies along the foot of its step. */
const STRIPE = 5;

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
            <Steps racer={racer} x={x} y={y(row)} />
            <Timings racer={racer} x={x} y={y(row) + ROW - STRIPE} />
            <text x={x(racer.end_s) + 8} y={y(row) + 15} fontSize={11.5} fill="var(--ink-2)">
              {duration(racer.end_s)}
            </text>
            {Math.abs(row - middle) === 1 && (
              <Leads
                racer={racer}
                base={base}
                x={x}
                y={row < middle ? y(row) + ROW : y(middle) + ROW}
                height={BETWEEN}
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

/** What ended before the moment that all are aligned at is no part of the race. */
const begun = (one: { end_s: number }) => one.end_s > 0;

function Steps(props: { racer: Racer; x: (at: number) => number; y: number }) {
  const { racer, x, y } = props;
  return racer.steps.filter(begun).map((step) => {
    const from = x(Math.max(0, step.start_s));
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
          <text x={from + 5} y={y + 13.5} fontSize={11.5} fill="var(--ink)">
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

/** What is timed of each step: it ends when what ends it came true; the rest of the step waits. */
function Timings(props: { racer: Racer; x: (at: number) => number; y: number }) {
  const { racer, x, y } = props;
  return racer.timings.filter(begun).map((timing) => {
    const from = x(Math.max(0, timing.start_s));
    return (
      <g key={`${timing.name} ${timing.start_s}`}>
        <title>{`${timed(timing)}; the rest of its step is waited, and not timed`}</title>
        <rect
          x={from}
          y={y}
          width={Math.max(1.5, x(timing.end_s) - from)}
          height={STRIPE}
          fill="currentColor"
        />
      </g>
    );
  });
}
