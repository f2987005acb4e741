/** The clock of a race: one for all that is shown, kept by the page and not by any film. */
import { useEffect, useMemo, useRef, useSyncExternalStore } from "react";

/** What is shown in words and lanes is drawn anew so often while it plays. */
const TOLD_MS = 80;

export class RaceClock {
  private listeners = new Set<() => void>();
  private at = 0;
  private since = 0;
  private frame = 0;
  private told = 0;
  /** What is told: the instant at the last telling, s of the race. */
  shown = 0;
  playing = false;
  speed = 1;

  constructor(
    private end: number,
    at: number,
  ) {
    this.at = this.shown = Math.min(Math.max(0, at), end);
  }

  /** The instant just now, s of the race. */
  now(): number {
    if (!this.playing) return this.at;
    return Math.min(this.end, this.at + ((performance.now() - this.since) / 1000) * this.speed);
  }

  play(): void {
    if (this.playing) return;
    if (this.at >= this.end) this.at = 0;
    this.since = performance.now();
    this.playing = true;
    this.tick();
    this.tell();
  }

  pause(): void {
    if (!this.playing) return;
    this.at = this.now();
    this.playing = false;
    cancelAnimationFrame(this.frame);
    this.tell();
  }

  /** Stand, or go on, at an instant. */
  seek(at: number): void {
    this.at = Math.min(Math.max(0, at), this.end);
    this.since = performance.now();
    this.tell();
  }

  setSpeed(speed: number): void {
    this.at = this.now();
    this.since = performance.now();
    this.speed = speed;
    this.tell();
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  stop(): void {
    cancelAnimationFrame(this.frame);
    this.playing = false;
  }

  private tick = (): void => {
    this.frame = requestAnimationFrame(this.tick);
    if (this.now() >= this.end) {
      this.at = this.end;
      this.playing = false;
      cancelAnimationFrame(this.frame);
      this.tell();
    } else if (performance.now() - this.told > TOLD_MS) this.tell();
  };

  private tell(): void {
    this.told = performance.now();
    this.shown = this.now();
    this.version += 1;
    for (const listener of this.listeners) listener();
  }

  version = 0;
}

/** A clock for a race of so many seconds, which begins at an instant. */
export function useRaceClock(end: number, begins: number): RaceClock {
  const first = useRef(begins);
  const clock = useMemo(() => new RaceClock(end, first.current), [end]);
  useEffect(() => () => clock.stop(), [clock]);
  return clock;
}

/** The instant that is shown; the caller is drawn anew as it goes on. */
export function useShownInstant(clock: RaceClock): number {
  useSyncExternalStore(clock.subscribe, () => clock.version);
  return clock.shown;
}
