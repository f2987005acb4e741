/** The race taken along: a still of this moment, or all of it as one film. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { Race } from "../api/client";
import { useMayChange } from "../api/people";
import { type RaceFilm, useDrawRace, useRaceFilms } from "../api/race";
import { Trouble } from "../parts/Trouble";
import { moment, significant, THIN } from "../parts/text";

export function TakeRace(props: { study: number; race: Race }) {
  const mayChange = useMayChange();
  if (!mayChange) return null;
  return (
    <Popover className="relative">
      <PopoverButton className="button-quiet whitespace-nowrap">Take it along</PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-20 w-[400px] border border-line bg-card p-4 shadow-lg"
      >
        <Panel {...props} />
      </PopoverPanel>
    </Popover>
  );
}

function Panel(props: { study: number; race: Race }) {
  const { study, race } = props;
  const films = useRaceFilms(study, true);
  const draw = useDrawRace(study);
  const runs = race.racers.map((racer) => racer.run);
  const busy = films.data?.some((one) => one.state === "waits" || one.state === "working");
  return (
    <>
      <p>
        The race as one film, 1920 by 1080: names, clocks, steps, the lead, and at its end what all
        rounds say.
      </p>
      <button
        type="button"
        className="button mt-3"
        disabled={draw.isPending || busy}
        onClick={() => draw.mutate({ runs, at: race.at })}
      >
        Draw the film
      </button>
      {draw.error && <Trouble what="The film" error={draw.error} />}
      <ul className="mt-3">
        {films.data?.map((film) => (
          <li
            key={film.id}
            className="flex items-baseline gap-3 border-t border-line-2 py-1"
            aria-live="polite"
          >
            <span className="flex-1">
              {moment(film.created)}
              <span className="text-ink-2"> {howFar(film)}</span>
            </span>
            {film.state === "done" &&
              Object.entries(film.sizes).map(([kind, bytes]) => (
                <a
                  key={kind}
                  className="act whitespace-nowrap"
                  href={`/api/race-films/${film.id}/file?kind=${kind}`}
                  download
                >
                  {kind === "mp4" ? "MP4" : "WebM"}
                  <span className="text-ink-2">
                    {" "}
                    {significant(bytes / 2 ** 20, 2)}
                    {THIN}MiB
                  </span>
                </a>
              ))}
          </li>
        ))}
      </ul>
    </>
  );
}

function howFar(film: RaceFilm): string {
  if (film.state === "failed") return film.problem;
  if (film.state === "done") return "";
  if (film.state === "waits" || !film.total) return "waits for the worker";
  return `${Math.round((100 * film.done) / film.total)}${THIN}% drawn`;
}
