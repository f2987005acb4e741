/** Films from elsewhere: bring one, see how far each is, go on to mark it. */
import { useRef, useState } from "react";
import { Link, useParams } from "react-router";
import type { Study } from "../api/client";
import { type FilmFacts, type Footage, useFootageOf, useThrowFootageAway } from "../api/footage";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, duration, THIN } from "../parts/text";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { BringFilms } from "./BringFilms";
import { KeepAll } from "./KeepAll";

export function Films() {
  const id = Number(useParams().study);
  return <OfStudy id={id}>{(study) => <Body study={study} />}</OfStudy>;
}

function Body(props: { study: Study }) {
  const { study } = props;
  const films = useFootageOf(study.id);
  const away = useThrowFootageAway(study.id);
  return (
    <>
      <h1 className="text-[20px] font-semibold">Films from elsewhere</h1>
      <p className="mt-1 max-w-[760px] text-ink-2">
        A recording of the screen, made where no rig of yours runs: MP4, WebM, MKV or MOV, up to
        {THIN}4{THIN}GiB. It is looked through for what changes and when; then you mark where each
        timing of the session starts and ends. What comes of it is kept apart from measured runs
        until somebody lets it in.
      </p>
      <Bring study={study} />
      {films.data && <KeepAll study={study} films={films.data} />}
      {films.isPending && <Waiting what="the films" />}
      {(films.error ?? away.error) && (
        <Trouble what="The films" error={films.error ?? away.error} />
      )}
      {(films.data?.length ?? 0) > 0 && (
        <table className="mt-5 w-full max-w-[980px]">
          <thead>
            <tr className="border-b border-line text-left text-[12px] text-ink-2">
              <th scope="col" className="py-1 font-normal">
                variant
              </th>
              <th scope="col" className="font-normal">
                film
              </th>
              <th scope="col" className="font-normal">
                how far it is
              </th>
              <th scope="col" className="font-normal">
                timings
              </th>
              <th aria-label="acts" />
            </tr>
          </thead>
          <tbody>
            {films.data?.map((film) => (
              <tr key={film.id} className="border-b border-line-2">
                <td className="py-1.5">
                  <VariantName
                    index={film.variant}
                    name={study.variants[film.variant]?.name ?? ""}
                  />
                </td>
                <td>
                  {film.state === "ready" ? (
                    <Link className="plain" to={`/studies/${study.id}/films/${film.id}`}>
                      {film.name}
                    </Link>
                  ) : (
                    film.name
                  )}
                </td>
                <td
                  className={film.state === "failed" ? "text-behind" : "text-ink-2"}
                  aria-live="polite"
                >
                  {howFar(film)}
                </td>
                <td>
                  {count(film.timings.length, "timing")}
                  {film.run !== null && (
                    <>
                      {", "}
                      <Link className="plain" to={`/runs/${film.run}`}>
                        run {film.run}
                      </Link>
                    </>
                  )}
                </td>
                <td className="text-right">
                  <button type="button" className="act" onClick={() => away.mutate(film.id)}>
                    throw away<span className="sr-only"> {film.name}</span>
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Bring(props: { study: Study }) {
  const [files, setFiles] = useState<File[]>([]);
  const file = useRef<HTMLInputElement>(null);
  const take = (given: FileList | null) => setFiles([...(given ?? [])]);
  if (files.length)
    return (
      <BringFilms
        key={files.map((one) => one.name).join()}
        study={props.study}
        files={files}
        drop={() => setFiles([])}
      />
    );
  return (
    <section
      aria-label="bring a film"
      className="mt-4 flex max-w-[760px] items-center gap-4 border border-dashed border-line bg-card p-4"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        take(event.dataTransfer.files);
      }}
    >
      <input
        ref={file}
        type="file"
        multiple
        aria-label="film files"
        accept="video/*,.mkv,.mp4,.webm,.mov,.avi,.gif"
        className="hidden"
        onChange={(event) => take(event.target.files)}
      />
      <button type="button" className="button" onClick={() => file.current?.click()}>
        Choose films
      </button>
      <span className="text-ink-2">
        or drop them here: one, or several takes of each variant, named after what they show
      </span>
    </section>
  );
}

export function howFar(film: Footage): string {
  if (film.state === "failed") return `cannot be used: ${film.problem}`;
  if (film.state === "waits") return "waits for the worker";
  if (film.state === "looking")
    return film.done_s ? `${duration(film.done_s)} of it looked through` : "is looked through";
  const facts = film.facts as unknown as FilmFacts;
  return `${facts.width} × ${facts.height}, ${rate(facts)}, ${duration(facts.seconds)}`;
}

/** Whether pictures come at all distances, as in a film that leaves out what did not change. */
export function uneven(facts: FilmFacts): boolean {
  return facts.uneven > 0.05 || facts.longest_gap_s > 3 * facts.step_s;
}

export function rate(facts: FilmFacts): string {
  const each = (1 / facts.step_s).toFixed(2).replace(/\.?0+$/, "");
  return uneven(facts) ? `about ${each} pictures a second, unevenly` : `${each} pictures a second`;
}
