/** What each lane draws of the runs shown, from the traces the server sent. */
import type { RunDetail, Trace } from "../api/client";
import { lookOf } from "../parts/variants";
import { LANES, OF_SENSORS, ownName } from "./lanes";

/** A run on the page: its time is moved by `shift` seconds to lie on the main run's axis. */
export interface Shown {
  detail: RunDetail;
  trace: Trace | undefined;
  shift: number;
  /** How many runs of the same variant stand before it: they share its colour. */
  twin: number;
  visible: boolean;
}

export interface LaneSeries {
  name: string;
  at: number[];
  values: (number | null)[];
  colour: string;
  width: number;
  /** A band reaches from the series before it, which is not drawn, to this one. */
  style: "line" | "band" | "floor" | "dots";
  dash?: number[];
  fill?: string;
}

export interface Lane {
  id: string;
  name: string;
  hint: string;
  unit: string;
  top: number;
  /** What lies above the scale: how many values, and the largest. */
  beyond: { count: number; most: number } | null;
  series: LaneSeries[];
  /** Start and end of what was cut out, s. */
  gaps: [number, number][];
}

const IDLE_S = 0.25;
const TWINS = [undefined, [7, 3], [2, 2], [9, 3, 2, 3]];

export function token(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

export function colourOf(shown: Shown): string {
  return token(`--c${lookOf(shown.detail.run.variant, shown.detail.baseline) % 8}`);
}

export const dashOf = (shown: Shown): number[] | undefined => TWINS[shown.twin % TWINS.length];

/** Break a line where nothing was drawn for longer than a quarter of a second. */
export function broken(
  at: number[],
  values: number[],
  longest = IDLE_S,
): { at: number[]; values: (number | null)[] } {
  const times: number[] = [];
  const kept: (number | null)[] = [];
  at.forEach((t, n) => {
    const before = at[n - 1];
    if (before !== undefined && t - before > longest) {
      times.push((before + t) / 2);
      kept.push(null);
    }
    times.push(t);
    kept.push(values[n] ?? null);
  });
  return { at: times, values: kept };
}

const most = (values: number[], least: number) =>
  values.reduce((highest, value) => Math.max(highest, value), least);

/** One lane of all the runs shown; none where none of them has anything for it. */
export function laneOf(id: string, runs: Shown[], whole = false): Lane | null {
  const kind = LANES.find((one) => one.id === id);
  if (!kind) return null;
  const there = runs.filter((run) => run.visible && run.trace);
  const several = runs.length > 1;
  const series =
    id === "frames"
      ? there.flatMap((run) => frameSeries(run, several))
      : id === "latency"
        ? there.flatMap(latencySeries)
        : there.flatMap((run) => counterSeries(run, id, several));
  const least = id === "frames" ? 10 : id === "memory" ? 16 : 1;
  const times = id === "frames" || id === "latency";
  const drawn = series.flatMap((one) => one.values.filter((value) => value !== null));
  const beyond = times && !whole ? farBeyond(drawn) : null;
  const highest = most(beyond ? drawn.filter((value) => value < beyond.from) : drawn, least);
  const cores = Math.max(...there.map((run) => run.trace?.cores ?? 0), 0);
  const only = !several ? there[0] : undefined;
  const gaps = (id === "frames" && only && gapsOf(only)) || [];
  const own = id.startsWith("own");
  const unit = own || id === "other" || id === "graphics" ? unitOf(there, id) : kind.unit;
  const madeUp = OF_SENSORS.includes(id) && there.some(isSimulated);
  const hint = id === "processor" && cores > 0 ? `${kind.hint} (of ${cores} cores)` : kind.hint;
  const top = id === "processor" ? Math.max(highest, cores) * 1.05 : highest * 1.08;
  const counter = own && there.flatMap((run) => kind.counters(countersOf(run)))[0];
  const name = counter ? ownName(counter) : madeUp ? `${kind.name}, simulated` : kind.name;
  return { id, name, hint, unit, top, beyond, series, gaps };
}

/** So many times the next value is far beyond it; of more values than this the lane is about them. */
const FAR = 2.5;
const FEWEST_VALUES = 20;
const MOST_LEFT_OUT = 5;

/**
 * The few values that lie far above all others, which would flatten a lane: null where none do.
 *
 * A long first frame, or the pause before the last one, is a value like any other: it is left out of
 * the scale, counted, and said. One value stands in several series; it is counted once.
 */
export function farBeyond(values: number[]): { count: number; most: number; from: number } | null {
  if (values.length < FEWEST_VALUES) return null;
  const tallest = [...new Set(values)].sort((a, b) => b - a).slice(0, MOST_LEFT_OUT + 1);
  for (let count = 1; count < tallest.length; count += 1) {
    const [last, next] = [tallest[count - 1] as number, tallest[count] as number];
    if (next > 0 && last >= FAR * next) return { count, most: tallest[0] as number, from: last };
  }
  return null;
}

const countersOf = (run: Shown) => Object.keys(run.trace?.counters ?? {});

/** Whether a stand-in took the place of the machine's own meters. */
const isSimulated = (run: Shown) => String(run.detail.facts?.sensors ?? "").startsWith("simulated");

/** The unit that all counters of a lane share; none where they do not. */
function unitOf(runs: Shown[], id: string): string {
  const units = new Set(
    runs
      .flatMap((run) => Object.entries(run.trace?.counters ?? {}))
      .flatMap(([name, counter]) =>
        LANES.find((kind) => kind.id === id)?.counters([name]).length ? [counter.unit] : [],
      ),
  );
  return units.size === 1 ? ([...units][0] ?? "") : "";
}

function gapsOf(run: Shown): [number, number][] {
  const idle = run.trace?.idle;
  return (idle?.start_s ?? []).map((start, n) => [
    start + run.shift,
    (idle?.end_s[n] ?? start) + run.shift,
  ]);
}

const moved = (at: number[], shift: number) => (shift ? at.map((t) => t + shift) : at);

function frameSeries(run: Shown, several: boolean): LaneSeries[] {
  const { frames, spikes } = run.trace as Trace;
  const colour = colourOf(run);
  const at = moved(frames.at_s, run.shift);
  const average = broken(at, frames.mean);
  const floor = frames.every ? frames.low.map(() => 0) : frames.low;
  const name = `run ${run.detail.run.id}`;
  return [
    { name: `${name}, least`, at, values: floor, colour, width: 0, style: "floor" },
    {
      name: frames.every ? `${name}, every frame` : `${name}, least to greatest`,
      at,
      values: frames.high,
      colour: `${colour}${several ? "33" : "66"}`,
      width: 1,
      style: "band",
    },
    {
      name: `${name}, mean`,
      ...average,
      colour: several ? colour : token("--ink"),
      width: 1.5,
      style: "line",
      dash: several ? dashOf(run) : undefined,
    },
    {
      name: `${name}, spikes`,
      at: moved(spikes.at_s, run.shift),
      values: spikes.ms,
      colour: several ? colour : token("--behind"),
      width: 0,
      style: "dots",
    },
  ];
}

function latencySeries(run: Shown): LaneSeries[] {
  const { latency } = run.trace as Trace;
  return [
    {
      name: `run ${run.detail.run.id}, key to picture`,
      at: moved(latency.at_s, run.shift),
      values: latency.high,
      colour: colourOf(run),
      width: 0,
      style: "dots",
    },
  ];
}

/** How the counters of a lane look, in their order: the first is the lane's own. */
const LOOKS: Pick<LaneSeries, "width" | "dash">[] = [
  { width: 1.6 },
  { width: 1, dash: [2, 3] },
  { width: 1, dash: [6, 3] },
  { width: 1, dash: [1, 2] },
];

function counterSeries(run: Shown, id: string, several: boolean): LaneSeries[] {
  const counters = (run.trace as Trace).counters;
  const kind = LANES.find((one) => one.id === id);
  const names = kind?.counters(Object.keys(counters)) ?? [];
  const colour = colourOf(run);
  return names.flatMap((name, place) => {
    const counter = counters[name];
    if (!counter) return [];
    if (several && place > 0 && id !== "cores") return [];
    const looks = LOOKS[place % LOOKS.length] as (typeof LOOKS)[number];
    const at = moved(counter.at_s, run.shift);
    const label = `run ${run.detail.run.id}, ${name}`;
    const own = place === 0 || id === "cores" || several;
    const line: LaneSeries = {
      name: label,
      at,
      values: name === "machine.foreign" ? counter.mean.map((v) => Math.max(0, v)) : counter.mean,
      colour: own ? colour : token("--ink-3"),
      width: id === "memory" && name === "subject.proportional" ? 1 : looks.width,
      dash: several ? dashOf(run) : name === "subject.proportional" ? undefined : looks.dash,
      fill: id === "processor" && place === 0 && !several ? `${colour}2e` : undefined,
      style: "line",
    };
    if (counter.every || place > 0) return [line];
    return [
      { name: `${label}, least`, at, values: counter.low, colour, width: 0, style: "floor" },
      {
        name: `${label}, least to greatest`,
        at,
        values: counter.high,
        colour: `${colour}44`,
        width: 1,
        style: "band",
      },
      line,
    ];
  });
}
