/** The film at one picture, framed by rules in its pixels; a region is drawn on it. */
import { useEffect, useRef, useState } from "react";
import type { FilmFacts, FilmRegion, Footage } from "../api/footage";
import { nearbyTicks } from "../parts/ticks";

const LEFT = 38;
const TOP = 24;
/** Within a picture: seeking to its very start may show the one before. */
const INSIDE_S = 0.0005;

export function Stage(props: {
  film: Footage;
  facts: FilmFacts;
  at: number;
  regions: FilmRegion[];
  chosen: FilmRegion | null;
  draw: (region: FilmRegion) => void;
  choose: (region: FilmRegion | null) => void;
}) {
  const { film, facts, at, chosen } = props;
  const video = useRef<HTMLVideoElement>(null);
  const stage = useRef<HTMLDivElement>(null);
  const [drawn, setDrawn] = useState<FilmRegion | null>(null);
  const start = useRef<{ x: number; y: number } | null>(null);
  useEffect(() => {
    if (video.current) video.current.currentTime = at + INSIDE_S;
  }, [at]);
  const place = (event: React.PointerEvent) => {
    const box = stage.current?.getBoundingClientRect();
    if (!box) return { x: 0, y: 0 };
    const x = ((event.clientX - box.left) / box.width) * facts.width;
    const y = ((event.clientY - box.top) / box.height) * facts.height;
    return {
      x: Math.round(Math.min(Math.max(0, x), facts.width)),
      y: Math.round(Math.min(Math.max(0, y), facts.height)),
    };
  };
  const shown = drawn ? [...props.regions, drawn] : props.regions;
  const part = (value: number, whole: number) => `${(100 * value) / whole}%`;
  return (
    <div
      className="grid"
      style={{ gridTemplateColumns: `${LEFT}px minmax(0,1fr)`, gridTemplateRows: `${TOP}px auto` }}
    >
      <span className="bg-brass-soft" />
      <Rule length={facts.width} chosen={chosen && [chosen.x, chosen.x + chosen.width]} />
      <Rule length={facts.height} chosen={chosen && [chosen.y, chosen.y + chosen.height]} upright />
      <div
        ref={stage}
        className="relative touch-none select-none bg-head"
        style={{ aspectRatio: `${facts.width} / ${facts.height}` }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          start.current = place(event);
        }}
        onPointerMove={(event) => {
          if (!start.current || !(event.buttons & 1)) return;
          setDrawn(between(start.current, place(event), props.regions.length));
        }}
        onPointerUp={() => {
          if (drawn && drawn.width > 3 && drawn.height > 3) props.draw(drawn);
          start.current = null;
          setDrawn(null);
        }}
      >
        <video
          ref={video}
          src={`/api/footage/${film.id}/film`}
          muted
          playsInline
          preload="auto"
          aria-label={`the film ${film.name}`}
          className="absolute inset-0 h-full w-full"
          onLoadedData={(event) => {
            event.currentTarget.currentTime = at + INSIDE_S;
          }}
        />
        {shown.map((region) => (
          <button
            key={`${region.name} ${region.x} ${region.y}`}
            type="button"
            aria-pressed={alike(chosen, region)}
            aria-label={`region ${region.name}`}
            className={`absolute border-2 ${alike(chosen, region) || region === drawn ? "border-brass" : "border-dashed border-brass/70"}`}
            style={{
              left: part(region.x, facts.width),
              top: part(region.y, facts.height),
              width: part(region.width, facts.width),
              height: part(region.height, facts.height),
            }}
            onPointerDown={(event) => event.stopPropagation()}
            onClick={() => props.choose(alike(chosen, region) ? null : region)}
          >
            <span className="absolute right-0 bottom-0 bg-brass-soft px-1 text-[11.5px] text-brass-ink">
              {region.name}
            </span>
          </button>
        ))}
      </div>
    </div>
  );
}

const alike = (one: FilmRegion | null, other: FilmRegion) =>
  one !== null &&
  one.x === other.x &&
  one.y === other.y &&
  one.width === other.width &&
  one.height === other.height;

function between(
  one: { x: number; y: number },
  other: { x: number; y: number },
  count: number,
): FilmRegion {
  return {
    name: `region ${count + 1}`,
    x: Math.min(one.x, other.x),
    y: Math.min(one.y, other.y),
    width: Math.max(1, Math.abs(one.x - other.x)),
    height: Math.max(1, Math.abs(one.y - other.y)),
  };
}

/** A rule in pixels along an edge of the film; the chosen region's ends stand on it. */
function Rule(props: { length: number; chosen: number[] | null; upright?: boolean }) {
  const { length, upright } = props;
  const ticks = nearbyTicks(0, length, 6).filter((tick) => tick < length * 0.98);
  const small = (ticks[1] ?? length) / 5;
  const side = (value: number) => `${(100 * value) / length}%`;
  const at = (value: number) => (upright ? { top: side(value) } : { left: side(value) });
  return (
    <div
      aria-hidden="true"
      className="relative overflow-hidden text-[10.5px] text-brass-ink"
      style={{ background: "linear-gradient(var(--brass-from), var(--brass-to))" }}
    >
      {Array.from({ length: Math.floor(length / small) }, (_, n) => n * small).map((value) => (
        <span
          key={value}
          className={`absolute bg-brass ${upright ? "right-0 h-px" : "bottom-0 w-px"}`}
          style={{ ...at(value), [upright ? "width" : "height"]: ticks.includes(value) ? 9 : 4 }}
        />
      ))}
      {ticks.slice(1).map((tick) => (
        <span
          key={tick}
          className={upright ? "absolute left-1 -mt-2" : "absolute top-0 -ml-3"}
          style={at(tick)}
        >
          {tick}
        </span>
      ))}
      {props.chosen?.map((value) => (
        <span
          key={value}
          className={`absolute bg-brass-ink ${upright ? "right-0 h-0.5 w-full" : "bottom-0 h-full w-0.5"}`}
          style={at(value)}
        />
      ))}
    </div>
  );
}
