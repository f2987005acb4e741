/** The lanes of a run on one ruled time axis with one cursor. */
import { useEffect, useMemo, useRef, useState } from "react";
import type { RunDetail, Trace } from "../api/client";
import { significant, THIN } from "../parts/words";
import { nearest } from "./nearest";
import { LANE_LEFT, LANE_RIGHT, Plot } from "./Plot";
import type { Span } from "./RunPage";
import { frameLane, memoryLane, processorLane } from "./series";
import { TimeBand } from "./TimeBand";

export function Lanes(props: {
  run: RunDetail;
  trace: Trace;
  view: Span;
  chosen: Span;
  cursor: number | null;
  choose: (span: Span) => void;
  look: (span: Span | null) => void;
  point: (at: number | null) => void;
}) {
  const { run, trace, view, chosen, cursor } = props;
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(880);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  const variant = run.run.variant;
  const lanes = useMemo(
    () => [frameLane(trace, variant), processorLane(trace, variant), memoryLane(trace, variant)],
    [trace, variant],
  );
  const height = useLaneHeights(box);
  const x = (at: number) =>
    LANE_LEFT + ((at - view.from) / (view.to - view.from)) * (width - LANE_LEFT - LANE_RIGHT);
  const wheel = (event: React.WheelEvent) => {
    if (!event.ctrlKey && !event.shiftKey) return;
    const rect = event.currentTarget.getBoundingClientRect();
    const inner = width - LANE_LEFT - LANE_RIGHT;
    const at =
      view.from + ((event.clientX - rect.left - LANE_LEFT) / inner) * (view.to - view.from);
    const factor = event.deltaY > 0 ? 1.25 : 0.8;
    props.look({
      from: Math.max(0, at - (at - view.from) * factor),
      to: at + (view.to - at) * factor,
    });
  };
  return (
    <div ref={box} className="relative" onWheel={wheel}>
      <TimeBand run={run} width={width} x={x} view={view} chosen={chosen} choose={props.choose} />
      {lanes.map((lane, place) => (
        <section key={lane.name} aria-label={lane.name}>
          <p className="mt-1 font-dense text-[12px]" style={{ paddingLeft: LANE_LEFT }}>
            <b>{lane.name}</b> <span className="text-ink-2">{lane.hint}</span>
          </p>
          <Plot
            lane={lane}
            width={width}
            height={height[place] ?? 120}
            view={view}
            chosen={chosen}
            select={props.choose}
            point={props.point}
          />
        </section>
      ))}
      {cursor !== null && cursor >= view.from && cursor <= view.to && (
        <Cursor at={cursor} x={x(cursor)} width={width} trace={trace} run={run} />
      )}
      <p className="mt-2 text-[12px] text-ink-3" style={{ paddingLeft: LANE_LEFT }}>
        drag to choose a stretch · Ctrl and wheel, <kbd>+</kbd> <kbd>-</kbd> to zoom · <kbd>[</kbd>{" "}
        <kbd>]</kbd> steps · <kbd>0</kbd> the whole run
        {!trace.frames.every_frame && " · each point stands for several frames, least to greatest"}
      </p>
    </div>
  );
}

/** Lanes share the height there is: more for frames. */
function useLaneHeights(box: React.RefObject<HTMLDivElement | null>): number[] {
  const [room, setRoom] = useState(470);
  useEffect(() => {
    const measure = () => {
      const top = box.current?.getBoundingClientRect().top ?? 100;
      setRoom(Math.max(380, window.innerHeight - top - 220));
    };
    measure();
    window.addEventListener("resize", measure);
    return () => window.removeEventListener("resize", measure);
  }, [box]);
  return [room * 0.46, room * 0.27, room * 0.27];
}

function Cursor(props: { at: number; x: number; width: number; trace: Trace; run: RunDetail }) {
  const { trace, at } = props;
  const frame = nearest(trace.frames.at_s, at);
  const ms = trace.frames.high_ms[frame];
  const cores = valueAt(trace, "subject.processor", at);
  const memory = valueAt(trace, "subject.resident", at);
  const input = [...props.run.inputs].reverse().find((i) => i.at_s <= at);
  const left = props.x > props.width - 220;
  return (
    <div
      data-testid="cursor"
      className="pointer-events-none absolute top-[34px] bottom-6 z-10 border-l-[1.5px] border-brass"
      style={{ left: props.x }}
    >
      <div
        className={`absolute top-[86px] w-[190px] rounded-sm bg-head px-2.5 py-1.5 text-[12px] text-head-ink ${
          left ? "right-2" : "left-2"
        }`}
      >
        <div className="font-mono font-semibold">
          {at.toFixed(3)}
          {THIN}s
        </div>
        {ms !== undefined && (
          <div>
            frame {significant(ms)}
            {THIN}ms ({significant(1000 / ms)} fps)
          </div>
        )}
        <div className="text-head-ink-2">
          {cores !== undefined && `${significant(cores, 2)} cores`}
          {memory !== undefined && ` · ${significant(memory)} MiB`}
        </div>
        {input && at - input.at_s < 1 && (
          <div className="text-head-ink-2">
            {significant((at - input.at_s) * 1000)}
            {THIN}ms after {input.what}
          </div>
        )}
      </div>
    </div>
  );
}

function valueAt(trace: Trace, name: string, at: number): number | undefined {
  const series = trace.counters[name];
  return series?.value[nearest(series.at_s, at)];
}
