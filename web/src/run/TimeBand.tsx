/** The steps of a run as segments on a ruled time axis, its timings below, inputs as fine ticks. */
import type { Finding, RunDetail } from "../api/client";
import { duration } from "../parts/text";
import { nearbyTicks } from "../parts/ticks";
import { type Span, same, spanOf } from "./span";

const BAND = 26;
const AXIS = 24;
const TIMINGS = 30;

export function TimeBand(props: {
  run: RunDetail;
  width: number;
  x: (at: number) => number;
  view: Span;
  chosen: Span;
  choose: (span: Span) => void;
  /** Move the view by a share of its width. */
  pan: (share: number) => void;
  findings: Finding[];
  show: (finding: Finding) => void;
}) {
  const { run, width, x, view, chosen } = props;
  const steps = run.stretches.filter((s) => s.kind === "step");
  const timings = run.stretches.filter((s) => s.kind === "time" && s.path.length === 2);
  const ticks = nearbyTicks(view.from, view.to, 10).filter((t) => t >= view.from && t <= view.to);
  const step = (ticks[1] ?? 1) - (ticks[0] ?? 0);
  const fine = Array.from(
    { length: Math.ceil((view.to - view.from) / (step / 5)) + 1 },
    (_, n) => (Math.floor(view.from / (step / 5)) + n) * (step / 5),
  ).filter((t) => t >= view.from && t <= view.to);
  const inside = (at: number) => Math.max(x(view.from), Math.min(x(view.to), at));
  return (
    <div style={{ height: BAND + AXIS + TIMINGS }} className="relative">
      {steps.map((s) => {
        const left = inside(x(s.start_s));
        const right = inside(x(s.end_s));
        const here = same(spanOf(s), chosen);
        if (right - left < 2) return null;
        return (
          <button
            type="button"
            key={s.path[0]}
            title={`${s.path[0]}: ${duration(s.end_s - s.start_s)}`}
            onClick={() => props.choose(spanOf(s))}
            className={`absolute truncate px-1.5 text-left font-dense text-[12px] font-semibold ${
              here ? "bg-head text-head-ink" : "bg-line-2 hover:bg-brass-soft"
            }`}
            style={{
              left: left + 0.5,
              width: right - left - 1,
              height: BAND,
              lineHeight: `${BAND}px`,
            }}
          >
            {right - left > (s.path[0] ?? "").length * 6.2 + 12 ? s.path[0] : ""}
          </button>
        );
      })}
      <svg
        width={width}
        height={AXIS + TIMINGS}
        className="absolute left-0 cursor-grab touch-none active:cursor-grabbing"
        style={{ top: BAND }}
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={(event) => {
          if (event.buttons) props.pan(-event.movementX / (x(view.to) - x(view.from)));
        }}
        role="img"
        aria-label="time since the run's start, s"
      >
        {fine.map((t) => (
          <line
            key={t}
            x1={x(t)}
            x2={x(t)}
            y1={0}
            y2={4}
            stroke="var(--brass)"
            strokeOpacity={0.6}
          />
        ))}
        {ticks.map((t) => (
          <g key={t}>
            <line x1={x(t)} x2={x(t)} y1={0} y2={8} stroke="var(--brass)" />
            <text
              x={Math.min(x(t), width - 14)}
              y={20}
              fontSize={11}
              textAnchor="middle"
              fill="var(--ink-2)"
            >
              {Number(t.toFixed(4))} s
            </text>
          </g>
        ))}
        <Timings timings={timings} x={x} inside={inside} />
        {run.marks.map((mark) => (
          <g key={mark.at_s}>
            <path d={`M${x(mark.at_s)},${AXIS}l4,6h-8z`} fill="var(--v2)" />
            <title>{mark.name}</title>
          </g>
        ))}
      </svg>
      {props.findings
        .filter((one) => one.at_s >= view.from && one.at_s <= view.to)
        .map((finding) => (
          <Flag key={finding.id} finding={finding} x={x} show={props.show} />
        ))}
    </div>
  );
}

/** A finding: a flag at its moment, a bar under its stretch. */
function Flag(props: {
  finding: Finding;
  x: (at: number) => number;
  show: (finding: Finding) => void;
}) {
  const { finding, x } = props;
  const at = x(finding.at_s);
  const to = finding.until_s == null ? at : x(finding.until_s);
  return (
    <button
      type="button"
      title={`${finding.kind}: ${finding.text}`}
      aria-label={`${finding.kind} at ${finding.at_s.toFixed(2)} s`}
      className="absolute h-[13px] border-l-2 border-brass text-left text-[11px] leading-[11px] text-brass"
      style={{ left: at - 1, width: Math.max(14, to - at), top: BAND + AXIS - 12 }}
      onClick={() => props.show(finding)}
    >
      <span className="block w-full border-t-2 border-brass">⚑</span>
    </button>
  );
}

function Timings(props: {
  timings: RunDetail["stretches"];
  x: (at: number) => number;
  inside: (at: number) => number;
}) {
  const { x, inside } = props;
  let free = 0;
  return (
    <>
      {props.timings.map((s) => {
        const left = inside(x(s.start_s));
        const right = inside(x(s.end_s));
        if (right - left < 2) return null;
        const text = `${s.path.at(-1)} ${s.right_censored ? "> " : ""}${duration(s.end_s - s.start_s)}`;
        const middle = (left + right) / 2;
        const reach = text.length * 2.9;
        const centre = Math.max(middle, free + reach + 6, reach);
        free = centre + reach;
        const y = AXIS + 6;
        return (
          <g key={s.path.join("/")} stroke="var(--ink)">
            <path d={`M${left},${y - 4}v8M${left},${y}H${right}M${right},${y - 4}v8`} fill="none" />
            <text
              x={centre}
              y={y + 17}
              fontSize={11}
              textAnchor="middle"
              stroke="none"
              fill="var(--ink)"
              fontFamily="IBM Plex Sans Condensed"
              fontWeight={600}
            >
              {text}
            </text>
          </g>
        );
      })}
    </>
  );
}
