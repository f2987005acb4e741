/** What the workspace takes on the server, and how much films may. */
import { useState } from "react";
import { Link } from "react-router";
import { useFilmLimit, useStorage, useThrowFilmAway } from "../api/people";
import { bytes, significant } from "../parts/text";

const GIB = 2 ** 30;

export function Storage() {
  const storage = useStorage();
  const limit = useFilmLimit();
  const away = useThrowFilmAway();
  const [asked, setAsked] = useState<string | null>(null);
  const [sure, setSure] = useState<number | null>(null);
  if (!storage.data) return null;
  const { records, films, film_bytes_limit, bundles, free, largest } = storage.data;
  const share = film_bytes_limit ? Math.min(1, films / film_bytes_limit) : 1;
  return (
    <section className="mt-6" aria-label="storage">
      <h2 className="font-semibold">Storage</h2>
      <p className="text-ink-2">
        Records take {bytes(records)}
        {bundles > 0 && `, bundles and logs on their way ${bytes(bundles)}`}; {bytes(free)} are free
        where films are kept.
      </p>
      <p className="mt-1">
        Films take {bytes(films)} of{" "}
        <input
          className="field w-16 text-right"
          aria-label="what films may take, GiB"
          inputMode="decimal"
          value={asked ?? significant(film_bytes_limit / GIB)}
          onChange={(event) => setAsked(event.target.value)}
          onBlur={() => {
            const wanted = Number(asked);
            if (asked !== null && asked.trim() !== "" && wanted >= 0)
              limit.mutate(Math.round(wanted * GIB));
            setAsked(null);
          }}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />{" "}
        GiB, those from elsewhere included. Where there is no room left, a run is taken without its
        film.
      </p>
      <div className="mt-1 h-1.5 max-w-[420px] bg-line-2" aria-hidden="true">
        <div
          className={`h-full ${share > 0.9 ? "bg-behind" : "bg-brass"}`}
          style={{ width: `${share * 100}%` }}
        />
      </div>
      {(limit.error ?? away.error) && (
        <p role="alert" className="text-behind">
          {(limit.error ?? away.error)?.message}
        </p>
      )}
      <ul className="mt-2">
        {largest.map((film) => (
          <li key={film.run} className="flex items-baseline gap-3 border-b border-line-2 py-0.5">
            <Link className="plain" to={`/runs/${film.run}`}>
              run {film.run}
            </Link>
            <span className="min-w-0 flex-1 truncate text-ink-2">
              {film.variant}, {film.study}
            </span>
            <span className="tabular-nums">{bytes(film.bytes)}</span>
            <button
              type="button"
              className="act"
              onClick={() => (sure === film.run ? away.mutate(film.run) : setSure(film.run))}
              onBlur={() => setSure(null)}
            >
              {sure === film.run ? "throw away for good" : "throw away"}
              <span className="sr-only"> the film of run {film.run}</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
