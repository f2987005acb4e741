/** The film of a run: it stands where the lanes are looked at. */
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import type { RunDetail } from "../api/client";
import { THIN } from "../parts/text";

/** Within a picture: seeking to its very start may show the one before. */
const INSIDE_S = 0.0005;

export function RunFilm(props: { run: RunDetail; at: number; point: (at: number) => void }) {
  const { run, at } = props;
  const video = useRef<HTMLVideoElement>(null);
  const began = run.film?.began_s ?? 0;
  useEffect(() => {
    const film = video.current;
    if (film?.paused) film.currentTime = Math.max(0, at - began) + INSIDE_S;
  }, [at, began]);
  if (!run.film) return null;
  if (run.film.state !== "ready")
    return (
      <p className="mt-2 text-[12px] text-ink-2">
        {run.film.state === "unusable"
          ? `Its film cannot be played: ${run.film.problem}.`
          : run.film.state === "coming" && run.run.state !== "running"
            ? "Its film did not come whole, and cannot be played."
            : "Its film is on its way."}
      </p>
    );
  return (
    <section aria-label="film" className="mb-3 border-b border-line pb-3">
      <video
        ref={video}
        src={`/api/runs/${run.run.id}/film`}
        muted
        playsInline
        controls
        preload="metadata"
        aria-label="film of this run"
        className="w-full bg-head"
        onLoadedMetadata={(event) => {
          event.currentTarget.currentTime = Math.max(0, at - began) + INSIDE_S;
        }}
        onTimeUpdate={(event) => {
          if (!event.currentTarget.paused) props.point(event.currentTarget.currentTime + began);
        }}
      />
      <p className="mt-1 flex text-[12px] text-ink-2">
        <span>
          at {at.toFixed(2)}
          {THIN}s of the run, up to 60 pictures a second
        </span>
        <Link className="plain ml-auto" to={`/studies/${run.study}/race`}>
          Race
        </Link>
      </p>
    </section>
  );
}
