/** The lanes of the runs shown, on one ruled time axis with one cursor. */
import { useEffect, useMemo, useRef, useState } from "react";
import type { Finding } from "../api/client";
import { Cursor } from "./Cursor";
import { LaneHead } from "./LaneHead";
import { changed, LANES, type LaneState, moved } from "./lanes";
import { LANE_LEFT, LANE_RIGHT, Plot } from "./Plot";
import { type Lane, laneOf, type Shown } from "./series";
import { panned, type Span, zoomed } from "./span";
import { TimeBand } from "./TimeBand";

/** Lanes by their place on the page: those of all runs together, or of each by itself. */
export function useLanes(runs: Shown[], states: LaneState[], stacked: boolean): Lane[] {
  return useMemo(
    () =>
      states.flatMap((state) => {
        const groups = stacked && runs.length > 1 ? runs.map((run) => [run]) : [runs];
        return groups.flatMap((group) => {
          const lane = laneOf(state.id, group, state.whole);
          if (!lane || !(state.folded ? could(state.id, group) : drawn(lane))) return [];
          const only = groups.length > 1 ? group[0] : undefined;
          if (only && !only.visible) return [];
          return [only ? { ...lane, name: `${lane.name}, run ${only.detail.run.id}` } : lane];
        });
      }),
    [runs, states, stacked],
  );
}

const drawn = (lane: Lane) => lane.series.some((series) => series.at.length > 0);

/** Whether a folded lane would have something to show. */
function could(id: string, runs: Shown[]): boolean {
  const kind = LANES.find((one) => one.id === id);
  if (id === "latency") return runs.some((run) => run.detail.inputs > 0);
  return id === "frames" || runs.some((run) => kind?.counters(run.detail.counters).length);
}

export function Lanes(props: {
  runs: Shown[];
  lanes: Lane[];
  states: LaneState[];
  view: Span;
  whole: number;
  chosen: Span;
  cursor: number | null;
  choose: (span: Span) => void;
  look: (span: Span) => void;
  point: (at: number | null) => void;
  arrange: (states: LaneState[]) => void;
  findings: Finding[];
  show: (finding: Finding) => void;
  children?: React.ReactNode;
}) {
  const { runs, lanes, states, view, chosen, cursor } = props;
  const main = runs[0] as Shown;
  const box = useRef<HTMLDivElement>(null);
  const width = useWidth(box);
  const inner = width - LANE_LEFT - LANE_RIGHT;
  const x = (at: number) => LANE_LEFT + ((at - view.from) / (view.to - view.from)) * inner;
  useWheel(box, (event) => {
    if (!event.ctrlKey && !event.shiftKey && !event.deltaX) return false;
    const rect = box.current?.getBoundingClientRect();
    const share = (event.clientX - (rect?.left ?? 0) - LANE_LEFT) / inner;
    const at = view.from + share * (view.to - view.from);
    if (event.ctrlKey) props.look(zoomed(view, at, event.deltaY > 0 ? 1.25 : 0.8, props.whole));
    else props.look(panned(view, (event.deltaX || event.deltaY) / 800));
    return true;
  });
  const ids = [...new Set(lanes.map((lane) => lane.id))];
  return (
    <div ref={box} className="relative">
      <TimeBand
        run={main.detail}
        width={width}
        x={x}
        view={view}
        chosen={chosen}
        choose={props.choose}
        pan={(share) => props.look(panned(view, share))}
        findings={props.findings}
        show={props.show}
      />
      {lanes.map((lane) => {
        const state = states.find((one) => one.id === lane.id) as LaneState;
        return (
          <section key={lane.name} aria-label={lane.name}>
            <LaneHead
              lane={lane}
              state={state}
              change={(to) => props.arrange(changed(states, lane.id, to))}
              move={(by) => props.arrange(moved(states, lane.id, by, ids))}
            />
            {!state.folded && (
              <Plot
                lane={lane}
                width={width}
                height={state.height}
                view={view}
                chosen={chosen}
                select={props.choose}
                point={props.point}
              />
            )}
          </section>
        );
      })}
      {cursor !== null && cursor >= view.from && cursor <= view.to && (
        <Cursor at={cursor} x={x(cursor)} width={width} runs={runs} />
      )}
      <div className="mt-2 text-[12px] text-ink-3" style={{ paddingLeft: LANE_LEFT }}>
        {props.children}
      </div>
    </div>
  );
}

function useWidth(box: React.RefObject<HTMLDivElement | null>): number {
  const [width, setWidth] = useState(880);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, [box]);
  return width;
}

/** Listen to the wheel such that it may be kept from scrolling the page. */
function useWheel(
  box: React.RefObject<HTMLDivElement | null>,
  taken: (event: WheelEvent) => boolean,
) {
  const latest = useRef(taken);
  latest.current = taken;
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      if (latest.current(event)) event.preventDefault();
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [box]);
}
