/** Live events of the workspace: what changed is asked for again, progress is kept per run. */
import { useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useRef, useState } from "react";
import { keys } from "./queries";

/** How far a run under way is, as its rig last said. */
export interface Progress {
  run: number;
  study: number;
  elapsed_ns: number;
  step: string;
  position: number;
  operations: number;
  resident: number;
  /** Beats of 50 ms of about the last half minute, in order. */
  beats: Beat[];
  /** Processor use in cores at instants, seconds since the run's start. */
  cores: { at: number; value: number }[];
  /** The run since somebody looks, coarser the longer it is. */
  course: CourseSample[];
  /** The steps that began since somebody looks, and when, s since the run's start. */
  steps: { name: string; at: number }[];
  /** Laps done. */
  laps: number;
}

/** A beat of 50 ms: when it began (s since the run's start), frames in it, the longest (ms). */
export interface Beat {
  at: number;
  frames: number;
  longest: number;
}

/** What was seen of a run up to an instant, s since its start, from the sample before it on. */
export interface CourseSample {
  at: number;
  /** The longest frame, ms; null where no picture came. */
  longest: number | null;
  cores: number | null;
  /** Resident memory, bytes. */
  resident: number;
}

export const BEAT_SECONDS = 0.05;

interface Told {
  kind: "progress" | "run" | "board" | "report" | "rig" | "shelf" | "again";
  study?: number;
  run?: number;
  progress?: {
    elapsed_ns?: number;
    step?: string;
    position?: number;
    operations?: number;
    resident?: number;
    laps?: number;
    processor_seconds?: number;
    beats?: [number, number, number][];
  };
}

export interface Live {
  connected: boolean;
  progress: Progress | null;
  /** Whether this is shown on the machine that measures: then little is drawn meanwhile. */
  calm: boolean;
}

/** While the machine that shows is the one that measures, progress is taken in this rarely. */
export const CALM_MS = 5_000;

const KEEP_SECONDS = 30;
const MOST_COURSE_SAMPLES = 400;

interface Sample {
  at: number;
  seconds: number;
}

/** The next progress of a run from what its rig said, with the recent past kept for drawing. */
export function follow(
  before: Progress | null,
  told: Told,
  last: { current: Sample | null },
): Progress | null {
  const said = told.progress;
  if (!said || told.run === undefined || said.elapsed_ns === undefined) return before;
  const at = said.elapsed_ns / 1e9;
  const same = before !== null && before.run === told.run && before.elapsed_ns <= said.elapsed_ns;
  if (!same) last.current = null;
  if (same && before.elapsed_ns === said.elapsed_ns) return before;
  const known = same ? before.beats : [];
  const newest = known.at(-1)?.at ?? -1;
  const fresh = (said.beats ?? [])
    .map(([number, frames, longest]) => ({ at: number * BEAT_SECONDS, frames, longest }))
    .filter((beat) => beat.at > newest + BEAT_SECONDS / 2)
    .sort((a, b) => a.at - b.at);
  const seconds = said.processor_seconds ?? 0;
  const used =
    last.current && at > last.current.at
      ? Math.max(0, (seconds - last.current.seconds) / (at - last.current.at))
      : null;
  const cores = same ? [...before.cores] : [];
  if (used !== null) cores.push({ at, value: used });
  const longest = fresh.length ? Math.max(...fresh.map((beat) => beat.longest)) : null;
  const sample = { at, longest, cores: used, resident: said.resident ?? 0 };
  const steps = same ? before.steps : [];
  const begins = said.step && steps.at(-1)?.name !== said.step;
  last.current = { at, seconds };
  return {
    run: told.run,
    study: told.study ?? 0,
    elapsed_ns: said.elapsed_ns,
    step: said.step ?? "",
    position: said.position ?? 0,
    operations: said.operations ?? 0,
    resident: said.resident ?? 0,
    laps: said.laps ?? 0,
    course: thinned([...(same ? before.course : []), sample]),
    steps: begins ? [...steps, { name: said.step ?? "", at }] : steps,
    beats: [...known, ...fresh].filter((beat) => beat.at > at - KEEP_SECONDS),
    cores: cores.filter((c) => c.at > at - KEEP_SECONDS),
  };
}

/** All samples, or two in one where there are too many; none of their long frames is lost. */
function thinned(samples: CourseSample[]): CourseSample[] {
  if (samples.length <= MOST_COURSE_SAMPLES) return samples;
  const odd = samples.length % 2;
  const merged = samples.slice(odd).flatMap((sample, place, all) => {
    const next = all[place + 1];
    if (place % 2 || !next) return [];
    const longest = Math.max(sample.longest ?? -1, next.longest ?? -1);
    return [{ ...next, longest: longest < 0 ? null : longest, cores: next.cores ?? sample.cores }];
  });
  return [...samples.slice(0, odd), ...merged];
}

export const LiveContext = createContext<Live>({ connected: false, progress: null, calm: false });

export function useLive(): Live {
  return useContext(LiveContext);
}

/** Listens while somebody is signed in; the browser connects again by itself. */
export function useLiveConnection(url: string | undefined, calm: boolean): Live {
  const queries = useQueryClient();
  const [live, setLive] = useState<Omit<Live, "calm">>({ connected: false, progress: null });
  const sparing = useRef({ calm, taken: 0, at: "" });
  sparing.current.calm = calm;
  const last = useRef<Sample | null>(null);
  useEffect(() => {
    if (!url) return;
    const source = new EventSource(`${url}/events`, { withCredentials: true });
    source.onopen = () => setLive((now) => ({ ...now, connected: true }));
    source.onerror = () => setLive((now) => ({ ...now, connected: false }));
    source.onmessage = (message) => {
      const told = JSON.parse(message.data) as Told;
      if (told.kind === "progress") {
        const { calm, taken, at } = sparing.current;
        const now = `${told.run} ${told.progress?.step}`; // a step that begins is always shown
        if (calm && now === at && Date.now() - taken < CALM_MS) return;
        sparing.current = { calm, taken: Date.now(), at: now };
        setLive((now) => ({ connected: true, progress: follow(now.progress, told, last) }));
        return;
      }
      if (told.kind === "again" || told.kind === "shelf") {
        queries.invalidateQueries();
        return;
      }
      queries.invalidateQueries({ queryKey: keys.rigs });
      queries.invalidateQueries({ queryKey: keys.studies });
      // What a rig starts has changed, perhaps for the study that is looked at.
      if (told.kind === "rig") queries.invalidateQueries({ queryKey: ["study"] });
      if (told.study !== undefined) {
        queries.invalidateQueries({ queryKey: keys.study(told.study) });
        if (told.kind === "board") queries.invalidateQueries({ queryKey: keys.board(told.study) });
        if (told.kind === "report")
          queries.invalidateQueries({ queryKey: keys.report(told.study) });
      }
      if (told.run !== undefined) queries.invalidateQueries({ queryKey: keys.run(told.run) });
    };
    return () => source.close();
  }, [url, queries]);
  return { ...live, calm };
}
