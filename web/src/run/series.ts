/** What each lane of a run draws, from the trace the server sent. */
import type { Trace } from "../api/client";

export interface LaneSeries {
  name: string;
  at: number[];
  values: (number | null)[];
  colour: string;
  width: number;
  style: "line" | "stems" | "dots";
  dash?: number[];
  fill?: string;
}

export interface Lane {
  name: string;
  hint: string;
  unit: string;
  top: number;
  series: LaneSeries[];
}

const IDLE_MS = 250;

function colourOf(variant: number): string {
  return getComputedStyle(document.documentElement)
    .getPropertyValue(`--v${variant % 8}`)
    .trim();
}

function token(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

/** Break a line where nothing was drawn for longer than a quarter of a second. */
export function broken(
  at: number[],
  values: number[],
): { at: number[]; values: (number | null)[] } {
  const times: number[] = [];
  const kept: (number | null)[] = [];
  at.forEach((t, n) => {
    const before = at[n - 1];
    if (before !== undefined && t - before > IDLE_MS / 1000) {
      times.push((before + t) / 2);
      kept.push(null);
    }
    times.push(t);
    kept.push(values[n] ?? null);
  });
  return { at: times, values: kept };
}

export function frameLane(trace: Trace, variant: number): Lane {
  const colour = colourOf(variant);
  const average = broken(trace.frames.average.at_s, trace.frames.average.value);
  const highest = trace.frames.high_ms.reduce((most, ms) => Math.max(most, ms), 10);
  return {
    name: "frame time",
    hint: "ms; line: mean of 25 neighbours; dots: slower than 2.5 × their neighbourhood; gaps: no picture was wanted",
    unit: "ms",
    top: highest * 1.06,
    series: [
      {
        name: "every frame",
        at: trace.frames.at_s,
        values: trace.frames.high_ms,
        colour: `${colour}66`,
        width: 1,
        style: "stems",
      },
      { name: "average", ...average, colour: token("--ink"), width: 1.5, style: "line" },
      {
        name: "spikes",
        at: trace.spikes.map((spike) => spike.at_s),
        values: trace.spikes.map((spike) => spike.ms),
        colour: token("--behind"),
        width: 0,
        style: "dots",
      },
    ],
  };
}

export function processorLane(trace: Trace, variant: number): Lane {
  const colour = colourOf(variant);
  const subject = trace.counters["subject.processor"];
  const foreign = trace.counters["machine.foreign"];
  return {
    name: "processor",
    hint: `cores in use, of ${trace.cores}; dotted: everything else on the machine`,
    unit: "cores",
    top: Math.max(1, trace.cores) * 1.05,
    series: [
      {
        name: "subject",
        at: subject?.at_s ?? [],
        values: subject?.value ?? [],
        colour,
        width: 1.5,
        style: "line",
        fill: `${colour}2e`,
      },
      {
        name: "everything else",
        at: foreign?.at_s ?? [],
        values: (foreign?.value ?? []).map((v) => Math.max(0, v)),
        colour: token("--ink-3"),
        width: 1,
        style: "line",
        dash: [2, 3],
      },
    ],
  };
}

export function memoryLane(trace: Trace, variant: number): Lane {
  const resident = trace.counters["subject.resident"];
  const proportional = trace.counters["subject.proportional"];
  const highest = Math.max(16, ...(resident?.value ?? []));
  return {
    name: "memory",
    hint: "MiB resident, children included; thin: shared pages divided among those who share them",
    unit: "MiB",
    top: highest * 1.1,
    series: [
      {
        name: "resident",
        at: resident?.at_s ?? [],
        values: resident?.value ?? [],
        colour: colourOf(variant),
        width: 1.6,
        style: "line",
      },
      {
        name: "proportional",
        at: proportional?.at_s ?? [],
        values: proportional?.value ?? [],
        colour: token("--ink-3"),
        width: 1,
        style: "line",
      },
    ],
  };
}
