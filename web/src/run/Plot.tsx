/** One lane, drawn by uPlot: the axes fit all other lanes, dragging chooses a stretch. */
import { useEffect, useRef } from "react";
import uPlot from "uplot";
import type { Lane, LaneSeries } from "./series";
import type { Span } from "./span";

export const LANE_LEFT = 56;
export const LANE_RIGHT = 8;
const TOP = 4;

/** Put series with times of their own on one shared list of times, as uPlot wants them. */
export function joined(series: LaneSeries[]): uPlot.AlignedData {
  const parts = series.map((s) => [s.at, s.values] as uPlot.AlignedData);
  const expandGaps = series.map(() => [0, 2]);
  return uPlot.join(parts, expandGaps as never);
}

export function Plot(props: {
  lane: Lane;
  width: number;
  height: number;
  view: Span;
  chosen: Span;
  select: (span: Span) => void;
  point: (at: number | null) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const latest = useRef(props);
  latest.current = props;
  useEffect(() => {
    if (!box.current) return;
    plot.current = new uPlot(options(latest), joined(props.lane.series), box.current);
    return () => plot.current?.destroy();
  }, [props.lane]);
  useEffect(() => {
    plot.current?.setSize({ width: props.width, height: props.height });
  }, [props.width, props.height]);
  useEffect(() => {
    plot.current?.setScale("x", { min: props.view.from, max: props.view.to });
  }, [props.view.from, props.view.to]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: redrawn for the chosen stretch
  useEffect(() => {
    plot.current?.redraw(false);
  }, [props.chosen.from, props.chosen.to]);
  return <div ref={box} />;
}

type Latest = { current: React.ComponentProps<typeof Plot> };

function options(latest: Latest): uPlot.Options {
  const { lane, width, height, view } = latest.current;
  const style = getComputedStyle(document.documentElement);
  const ink = style.getPropertyValue("--ink-2").trim();
  const line = style.getPropertyValue("--line").trim();
  const ground = style.getPropertyValue("--brass-soft").trim();
  const idle = `${style.getPropertyValue("--line").trim()}88`;
  return {
    width,
    height,
    padding: [TOP, LANE_RIGHT, 6, 0],
    legend: { show: false },
    scales: {
      x: { time: false, auto: false, range: (_, min, max) => [min ?? view.from, max ?? view.to] },
      y: { range: [0, lane.top] },
    },
    axes: [
      { show: false },
      {
        size: LANE_LEFT,
        stroke: ink,
        font: "11px IBM Plex Sans",
        grid: { stroke: line, width: 1 },
        ticks: { show: false },
        space: 34,
        values: (_, splits) =>
          splits.map((v, n) => (n === splits.length - 1 ? `${v} ${lane.unit}` : `${v}`)),
      },
    ],
    cursor: {
      x: false,
      y: false,
      points: { show: false },
      drag: { x: true, y: false, setScale: false },
    },
    series: [{}, ...lane.series.map(oneSeries)],
    hooks: {
      init: [(u) => u.setScale("x", { min: view.from, max: view.to })],
      drawClear: [
        (u) => {
          const { lane, chosen } = latest.current;
          shade(u, chosen, ground);
          for (const [from, to] of lane.gaps) shade(u, { from, to }, idle);
        },
      ],
      setCursor: [
        (u) => {
          const left = u.cursor.left ?? -1;
          if (left >= 0) latest.current.point(u.posToVal(left, "x"));
        },
      ],
      setSelect: [
        (u) => {
          if (u.select.width < 3) return;
          const from = u.posToVal(u.select.left, "x");
          const to = u.posToVal(u.select.left + u.select.width, "x");
          u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
          latest.current.select({ from: Math.max(0, from), to });
        },
      ],
    },
  };
}

function oneSeries(series: LaneSeries): uPlot.Series {
  return {
    label: series.name,
    stroke: series.colour,
    width: series.width,
    fill: series.fill,
    dash: series.dash,
    spanGaps: false,
    points:
      series.style === "dots"
        ? { show: true, size: 6, fill: series.colour, stroke: series.colour, width: 0 }
        : { show: false },
    paths:
      series.style === "band"
        ? band
        : series.style === "line"
          ? uPlot.paths.linear?.()
          : () => null,
  };
}

/** A stem from the series before to this one, one a pixel column: the lowest to the tallest. */
const band: uPlot.Series.PathBuilder = (u, index, first, last) => {
  const path = new Path2D();
  const times = u.data[0];
  const [lows, highs] = [u.data[index - 1], u.data[index]];
  if (!lows || !highs) return null;
  let column = -1;
  let lowest = 0;
  let tallest = 0;
  const put = () => {
    if (column < 0) return;
    const top = u.valToPos(tallest, "y", true);
    path.moveTo(column, Math.max(u.valToPos(lowest, "y", true), top + 1));
    path.lineTo(column, top);
  };
  for (let n = first; n <= last; n++) {
    const low = lows[n];
    const high = highs[n];
    if (low == null || high == null) continue;
    const at = Math.round(u.valToPos(times[n] as number, "x", true));
    if (at !== column) {
      put();
      column = at;
      lowest = low;
      tallest = high;
    } else {
      lowest = Math.min(lowest, low);
      tallest = Math.max(tallest, high);
    }
  }
  put();
  return { stroke: path };
};

function shade(u: uPlot, part: Span, ground: string) {
  const left = Math.max(u.bbox.left, u.valToPos(part.from, "x", true));
  const right = Math.min(u.bbox.left + u.bbox.width, u.valToPos(part.to, "x", true));
  if (!(right > left)) return;
  u.ctx.save();
  u.ctx.fillStyle = ground;
  u.ctx.fillRect(left, u.bbox.top, right - left, u.bbox.height);
  u.ctx.restore();
}
