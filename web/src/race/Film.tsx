/** The film of a racer, kept in step with the clock of the race. */
import { useEffect, useRef } from "react";
import type { Racer } from "../api/client";
import type { RaceClock } from "./clock";
import { filmTime } from "./place";

/** Further apart than this, s, a film jumps; nearer it runs a little faster or slower. */
const JUMP_S = 0.25;
const CATCH_UP_S = 0.4;
const MOST_CHANGE = 0.3;
/** Within a picture: seeking to its very start may show the one before. */
const INSIDE_S = 0.0005;

/** How far films are out of step with the race, s; the worst of the last second. */
export class Skew {
  private seen: { at: number; skew: number }[] = [];

  note(skew: number): void {
    const at = performance.now();
    this.seen.push({ at, skew: Math.abs(skew) });
    while (this.seen[0] && at - this.seen[0].at > 1000) this.seen.shift();
  }

  worst(): number | null {
    return this.seen.length ? Math.max(...this.seen.map((one) => one.skew)) : null;
  }
}

export function Film(props: { racer: Racer; clock: RaceClock; skew: Skew; description: string }) {
  const { racer, clock, skew } = props;
  const video = useRef<HTMLVideoElement>(null);
  useEffect(() => {
    const film = video.current;
    if (!film || !racer.film) return;
    const seconds = racer.film.seconds;
    let frame = 0;
    const follow = () => {
      const now = clock.now();
      const wanted = filmTime(racer, now);
      const runs = clock.playing && wanted > 0 && wanted < seconds - 0.01 && racer.end_s > now;
      if (!runs) {
        if (!film.paused) film.pause();
        if (!film.seeking && Math.abs(film.currentTime - wanted - INSIDE_S) > 0.001)
          film.currentTime = wanted + INSIDE_S;
      } else {
        const behind = wanted - film.currentTime;
        if (film.paused) {
          film.currentTime = wanted + INSIDE_S;
          film.play().catch(() => undefined);
        } else if (!film.seeking && film.readyState > 2) {
          skew.note(behind);
          if (Math.abs(behind) > JUMP_S) film.currentTime = wanted + INSIDE_S;
        }
        const change = Math.min(Math.max(behind / CATCH_UP_S, -MOST_CHANGE), MOST_CHANGE);
        film.playbackRate = Math.max(0.07, clock.speed * (1 + change));
      }
    };
    const onFrame = () => {
      follow();
      frame = clock.playing ? requestAnimationFrame(onFrame) : 0;
    };
    const onTold = () => {
      if (!frame) onFrame();
    };
    const leave = clock.subscribe(onTold);
    film.addEventListener("seeked", onTold);
    film.addEventListener("loadedmetadata", onTold);
    onTold();
    return () => {
      leave();
      film.removeEventListener("seeked", onTold);
      film.removeEventListener("loadedmetadata", onTold);
      cancelAnimationFrame(frame);
    };
  }, [racer, clock, skew]);
  return (
    <video
      ref={video}
      src={`/api/runs/${racer.run}/film`}
      muted
      playsInline
      preload="auto"
      aria-label={props.description}
      className="h-full w-full object-contain"
    />
  );
}
