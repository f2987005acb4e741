/** Mark where each timing of the session starts and ends on a film, picture by picture. */
import { useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Study } from "../api/client";
import {
  type FilmCourse,
  type FilmFacts,
  type FilmMark,
  type FilmRegion,
  type Footage,
  type Snap,
  snapped,
  useFilmCourse,
  useFilmDrift,
  useFootage,
  useFootageOf,
  useKeepFootage,
  useSetMarks,
} from "../api/footage";
import { Acts } from "../parts/Acts";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, duration, significant, THIN } from "../parts/text";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { FilmLanes } from "./FilmLanes";
import { howFar, rate, uneven } from "./Films";
import { beyond, edges, nextOpen, proposal, same, whole, withMark } from "./marks";
import { Stage } from "./Stage";

const SNAPS: Snap[] = ["first change", "last change", "any picture"];
const SHOWN_CHANGES = 8;

export function Marking() {
  const id = Number(useParams().study);
  const film = Number(useParams().film);
  return <OfStudy id={id}>{(study) => <OneFilm key={film} study={study} id={film} />}</OfStudy>;
}

function OneFilm(props: { study: Study; id: number }) {
  const film = useFootage(props.id);
  const ready = film.data?.state === "ready";
  const course = useFilmCourse(props.id, null, ready);
  if (film.error) return <Trouble what="This film" error={film.error} />;
  if (!film.data) return <Waiting what="the film" />;
  if (film.data.state === "failed")
    return (
      <p role="alert" className="text-behind">
        {film.data.name} {howFar(film.data)}. Nothing of it was kept.
      </p>
    );
  if (!ready || !course.data)
    return (
      <p role="status" className="py-8 text-[17px]">
        {film.data.name}: {howFar(film.data)} …
      </p>
    );
  return <Body study={props.study} film={film.data} all={course.data} />;
}

/** The timings of the study's session, and those of the marks that are none of them. */
function pathsOf(study: Study, marks: FilmMark[]): string[][] {
  const own = study.script.stretches.filter((one) => one.kind === "time").map((one) => one.path);
  const others = marks.map((mark) => mark.path).filter((path) => !own.some((o) => same(o, path)));
  const found = [...own, ...others];
  return found.length ? found : [["The session", "all of it"]];
}

function Body(props: { study: Study; film: Footage; all: FilmCourse }) {
  const { study, film, all } = props;
  const facts = film.facts as unknown as FilmFacts;
  const [picture, setPicture] = useState(0);
  const [chosen, setChosen] = useState<FilmRegion | null>(null);
  const [snap, setSnap] = useState<Snap | "">("first change");
  const [path, setPath] = useState(0);
  const [past, setPast] = useState<FilmMark[][]>([]);
  const set = useSetMarks(film.id);
  const keep = useKeepFootage(film.id);
  const marks = film.marks;
  const region = useFilmCourse(film.id, chosen, chosen !== null);
  const course = chosen ? (region.data ?? all) : all;
  const paths = pathsOf(study, marks);
  const asked = paths[path] ?? (paths[0] as string[]);
  const mine = marks.find((mark) => same(mark.path, asked));
  const proposed = proposal(course, mine, picture);
  const films = useFootageOf(study.id);
  const navigate = useNavigate();
  const go = (to: number | null) =>
    to !== null && setPicture(Math.min(Math.max(0, to), all.at_s.length - 1));
  const save = (next: FilmMark[], regions = film.regions, variant = film.variant) => {
    setPast((before) => [...before, marks]);
    set.mutate({ variant, regions, marks: next });
  };
  // Marks may follow one another faster than they are kept: each goes on from the last.
  const latest = useRef(marks);
  latest.current = set.isPending ? (set.variables?.marks ?? marks) : marks;
  const put = (end: "start" | "end", at: number) => {
    const next = withMark(latest.current, asked, end, at);
    save(next);
    setPicture(at);
    if (end === "end" && whole(next, asked)) setPath(nextOpen(paths, next, path));
  };
  const mark = async (end: "start" | "end") =>
    put(end, snap ? await snapped(film.id, picture, snap, chosen) : picture);
  const undo = () => {
    const before = past.at(-1);
    if (!before) return;
    setPast(past.slice(0, -1));
    set.mutate({ variant: film.variant, regions: film.regions, marks: before });
  };
  const takes = (films.data ?? []).filter((one) => one.state === "ready");
  const nextTake = takes[(takes.findIndex((one) => one.id === film.id) + 1) % takes.length];
  useKeys("Film", [
    { keys: ",", does: "one picture back", act: () => go(picture - 1) },
    { keys: ".", does: "one picture on", act: () => go(picture + 1) },
    {
      keys: "<",
      does: "to the new picture before",
      act: () => go(beyond(course.new, picture, -1)),
    },
    { keys: ">", does: "to the next new picture", act: () => go(beyond(course.new, picture, 1)) },
    {
      keys: "n",
      does: "to where changes begin or end next",
      act: () => go(beyond(edges(course), picture, 1)),
    },
    {
      keys: "N",
      does: "to where they began or ended before",
      act: () => go(beyond(edges(course), picture, -1)),
    },
    { keys: "s", does: "the timing starts here", act: () => void mark("start") },
    { keys: "e", does: "the timing ends here", act: () => void mark("end") },
    {
      keys: "Enter",
      does: "take what is proposed",
      act: () => proposed && put(proposed.end, proposed.picture),
    },
    { keys: "j", does: "the next timing", act: () => setPath((path + 1) % paths.length) },
    {
      keys: "k",
      does: "the timing before",
      act: () => setPath((path + paths.length - 1) % paths.length),
    },
    { keys: "r", does: "look at no region", act: () => setChosen(null) },
    { keys: "u", does: "undo", act: undo },
    {
      keys: "t",
      does: "the next film",
      act: () => nextTake && navigate(`/studies/${study.id}/films/${nextTake.id}`),
    },
  ]);
  const finished = film.timings.length;
  return (
    <div className="-mx-6 -my-4">
      <div className="flex h-11 items-center gap-4 border-b border-line bg-brass-soft px-6">
        <h1 className="text-[17px] font-semibold whitespace-nowrap">
          <Link to={`/studies/${study.id}/films`}>Film from elsewhere</Link>
        </h1>
        <VariantName index={film.variant} name={study.variants[film.variant]?.name ?? ""} />
        <span className="min-w-0 flex-1 truncate text-ink-2">
          <span className="font-mono text-[12px]">{film.name}</span> · {facts.width} ×{" "}
          {facts.height}, {rate(facts)}, {duration(facts.seconds)}
        </span>
        {film.run !== null ? (
          <span>
            kept apart as{" "}
            <Link className="plain" to={`/runs/${film.run}`}>
              run {film.run}
            </Link>
            , until it is let in
          </span>
        ) : (
          <Acts>
            <button
              type="button"
              className="button whitespace-nowrap"
              disabled={!finished || keep.isPending}
              onClick={() => keep.mutate()}
            >
              Keep {count(finished, "timing")} as a run
            </button>
          </Acts>
        )}
      </div>
      {(keep.error ?? set.error) && (
        <p role="alert" className="px-6 py-1 text-behind">
          {(keep.error ?? set.error)?.message}
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_350px]">
        <div className="min-w-0 px-6 py-2">
          <div className="grid grid-cols-[minmax(0,1fr)_132px] gap-3">
            <div className="max-w-[640px]">
              <Stage
                film={film}
                facts={facts}
                at={all.at_s[picture] ?? 0}
                regions={film.regions}
                chosen={chosen}
                choose={setChosen}
                draw={(drawn) => {
                  setChosen(drawn);
                  save(latest.current, [...film.regions, drawn]);
                }}
              />
            </div>
            <Here
              all={all}
              picture={picture}
              course={course}
              chosen={chosen}
              snap={snap}
              setSnap={setSnap}
            />
          </div>
          <div className="mt-2">
            <FilmLanes
              facts={facts}
              all={all}
              region={chosen ? (region.data ?? null) : null}
              regionName={chosen?.name ?? ""}
              at={picture}
              marks={marks}
              path={asked}
              go={go}
            />
          </div>
          <p className="text-[12px] text-ink-2">
            <kbd>,</kbd> <kbd>.</kbd> picture · <kbd>{"<"}</kbd> <kbd>{">"}</kbd> new picture ·{" "}
            <kbd>n</kbd> <kbd>N</kbd> where changes begin or end · <kbd>s</kbd> starts ·{" "}
            <kbd>e</kbd> ends · <kbd>Enter</kbd> takes what is proposed · <kbd>j</kbd> <kbd>k</kbd>{" "}
            timing · drag a region · <kbd>u</kbd> undo
          </p>
        </div>
        <aside className="border-l border-line bg-card px-5 py-3">
          <Sentence film={film} path={asked} mark={mine} proposed={proposed} all={all} />
          <h2 className="mt-4 font-semibold">The session's timings</h2>
          <table className="w-full">
            <thead>
              <tr className="text-[12px] text-ink-2">
                <th aria-label="timing" />
                <th scope="col" className="text-right font-normal">
                  starts
                </th>
                <th scope="col" className="text-right font-normal">
                  ends
                </th>
                <th scope="col" className="text-right font-normal">
                  takes
                </th>
              </tr>
            </thead>
            <tbody>
              {paths.map((one, number) => (
                <Timing
                  key={one.join()}
                  path={one}
                  film={film}
                  all={all}
                  chosen={number === path}
                  choose={() => {
                    setPath(number);
                    go(marks.find((mark) => same(mark.path, one))?.start ?? null);
                  }}
                />
              ))}
            </tbody>
          </table>
          <CanTell facts={facts} />
          <Drifting film={film} facts={facts} takes={takes} chosen={chosen} />
          <Takes study={study} takes={films.data ?? []} film={film.id} />
          <h2 className="mt-4 font-semibold">
            Changes found{" "}
            <span className="font-normal text-ink-2">
              {count(course.bursts.length, "time")}
              {chosen ? ` in ${chosen.name}` : ""}, the next ones
            </span>
          </h2>
          <ul>
            {course.bursts
              .filter((burst) => burst.last >= picture)
              .slice(0, SHOWN_CHANGES)
              .map((burst) => (
                <li key={burst.first} className="border-b border-line-2 py-0.5">
                  <button
                    type="button"
                    className="flex w-full gap-3 text-left"
                    onClick={() => go(burst.first)}
                  >
                    <span className="font-mono text-[12px] text-brass">
                      {(all.at_s[burst.first] ?? 0).toFixed(3)}
                    </span>
                    <span className="flex-1">
                      {burst.first === burst.last
                        ? "a new picture"
                        : `changes for ${duration((all.at_s[burst.last] ?? 0) - (all.at_s[burst.first] ?? 0))}`}
                    </span>
                  </button>
                </li>
              ))}
          </ul>
        </aside>
      </div>
    </div>
  );
}

/** Where it stands, what changed with this picture, and what a mark snaps to. */
function Here(props: {
  all: FilmCourse;
  picture: number;
  course: FilmCourse;
  chosen: FilmRegion | null;
  snap: Snap | "";
  setSnap: (snap: Snap | "") => void;
}) {
  const { all, picture, course } = props;
  const share = course.share[picture] ?? 0;
  const isNew = course.new.includes(picture);
  const before = beyond(course.new, picture, -1);
  return (
    <div className="text-[12.5px]">
      <p>
        <b>picture {picture}</b>
        <span className="float-right font-mono">{(all.at_s[picture] ?? 0).toFixed(3)}</span>
      </p>
      <p className="mt-2">
        {picture === 0
          ? "the first one"
          : isNew
            ? `${significant(100 * share, 2)}${THIN}% of ${props.chosen?.name ?? "it"} changed, after ${count(picture - (before ?? 0), "picture")} the same`
            : `the same as before, since picture ${before ?? 0}`}
      </p>
      <fieldset className="mt-3">
        <legend className="font-semibold">a mark snaps to</legend>
        {SNAPS.map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={props.snap === one}
            className={`block ${props.snap === one ? "border-b-2 border-brass font-semibold" : "text-brass"}`}
            onClick={() => props.setSnap(one)}
          >
            {one}
          </button>
        ))}
        <button
          type="button"
          aria-pressed={props.snap === ""}
          className={`block ${props.snap === "" ? "border-b-2 border-brass font-semibold" : "text-brass"}`}
          onClick={() => props.setSnap("")}
        >
          this picture
        </button>
        <p className="text-ink-2">in {props.chosen?.name ?? "all of it"}</p>
      </fieldset>
    </div>
  );
}

function Sentence(props: {
  film: Footage;
  path: string[];
  mark: FilmMark | undefined;
  proposed: { end: "start" | "end"; picture: number } | null;
  all: FilmCourse;
}) {
  const { film, path, mark, proposed } = props;
  const name = path.at(-1) ?? "";
  const timing = film.timings.find((one) => same(one.path, path));
  const at = proposed ? (props.all.at_s[proposed.picture] ?? 0).toFixed(3) : "";
  return (
    <>
      <p className="text-[12px] font-semibold text-brass">{path.join(" · ")}</p>
      <p className="text-[16px]" aria-live="polite">
        {timing
          ? `${name} takes ${(timing.end_s - timing.start_s).toFixed(3)}${THIN}s, ± ${timing.plus_minus_s.toFixed(3)}: from picture ${mark?.start} to picture ${mark?.end}.`
          : mark?.start != null
            ? `${name} starts in picture ${mark.start}; where does it end?`
            : `Where does ${name} start?`}
      </p>
      {proposed && (
        <p className="text-ink-2">
          <kbd>Enter</kbd> takes picture {proposed.picture} at {at}
          {THIN}s as its {proposed.end}.
        </p>
      )}
    </>
  );
}

function Timing(props: {
  path: string[];
  film: Footage;
  all: FilmCourse;
  chosen: boolean;
  choose: () => void;
}) {
  const { path, film, all } = props;
  const mark = film.marks.find((one) => same(one.path, path));
  const timing = film.timings.find((one) => same(one.path, path));
  const at = (picture: number | null | undefined) =>
    picture == null ? "" : (all.at_s[picture] ?? 0).toFixed(3);
  return (
    <tr className={`border-t border-line-2 ${props.chosen ? "bg-brass-soft" : ""}`}>
      <th scope="row" className="py-1 text-left font-normal">
        <button
          type="button"
          aria-pressed={props.chosen}
          className={props.chosen ? "font-semibold" : ""}
          onClick={props.choose}
        >
          {path.at(-1)}
        </button>
      </th>
      <td className="text-right font-mono text-[12px]">{at(mark?.start)}</td>
      <td className="text-right font-mono text-[12px]">{at(mark?.end)}</td>
      <td className="text-right whitespace-nowrap">
        {timing
          ? `${(timing.end_s - timing.start_s).toFixed(3)} ± ${timing.plus_minus_s.toFixed(3)}${THIN}s`
          : mark
            ? "not yet"
            : ""}
      </td>
    </tr>
  );
}

/** The films of each variant: this one, those that are marked, those still to be. */
function Takes(props: { study: Study; takes: Footage[]; film: number }) {
  const { study, takes } = props;
  return (
    <>
      <h2 className="mt-4 font-semibold">Takes</h2>
      <ul>
        {study.variants.map((variant, position) => {
          const mine = takes.filter((one) => one.variant === position);
          return (
            <li key={variant.name} className="flex gap-3 border-b border-line-2 py-0.5">
              <span className="w-20">
                <VariantName index={position} name={variant.name} />
              </span>
              <span className="flex-1">
                {mine.length === 0 && (
                  <Link className="plain" to={`/studies/${study.id}/films`}>
                    no film yet: bring one in
                  </Link>
                )}
                {mine.map((one, n) => (
                  <span key={one.id}>
                    {n > 0 && ", "}
                    {one.id === props.film ? (
                      <b>this one</b>
                    ) : (
                      <Link className="plain" to={`/studies/${study.id}/films/${one.id}`}>
                        {one.name}
                      </Link>
                    )}
                    <span className="text-ink-2"> ({one.timings.length})</span>
                  </span>
                ))}
              </span>
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** What a film of this rate can tell, and what not. */
function CanTell(props: { facts: FilmFacts }) {
  const { facts } = props;
  const whole = Math.round(facts.step_s * 1000);
  const half = Math.round((facts.step_s / 2) * 1000);
  return (
    <>
      <h2 className="mt-4 font-semibold">What this film can tell</h2>
      <p className="text-[12.5px]">
        {uneven(facts)
          ? `Its pictures come unevenly, the longest ${significant(facts.longest_gap_s * 1000)}${THIN}ms apart: each mark is known as well as the pictures around it.`
          : `Pictures come evenly, ${significant(facts.step_s * 1000)}${THIN}ms apart: an instant is known to ± ${half}${THIN}ms, a length to ± ${whole}${THIN}ms.`}{" "}
        {count(facts.new, "picture")} of {facts.frames} are new.
        {facts.every_picture_new && (
          <b> The program drew at least as many as the film shows; how many more it cannot tell.</b>
        )}
        {facts.noisy && <b> It is noisy: small changes are not told from noise.</b>}
      </p>
    </>
  );
}

/** Whether sound, or another film of the same session, runs away from the picture. */
function Drifting(props: {
  film: Footage;
  facts: FilmFacts;
  takes: Footage[];
  chosen: FilmRegion | null;
}) {
  const { film, facts, takes } = props;
  const [against, setAgainst] = useState("");
  const found = useFilmDrift(film.id, against, props.chosen);
  const others = takes.filter((one) => one.id !== film.id);
  if (!facts.onsets && !others.length) return null;
  const told = found.data;
  return (
    <section aria-label="offset and drift" className="mt-4">
      <label className="font-semibold">
        In step with{" "}
        <select
          className="field max-w-[190px] font-normal"
          value={against}
          onChange={(event) => setAgainst(event.target.value)}
        >
          <option value="">…</option>
          {facts.onsets > 0 && <option value="sound">its sound</option>}
          {others.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
      {found.error && <Trouble what="The comparison" error={found.error} />}
      {told && (
        <p className="text-[12.5px]">
          {told.known
            ? `${told.second} comes ${ms(told.offset_s)} later at first (${ms(told.offset_low_s)} to ${ms(told.offset_high_s)}), and ${sentence(told.drift_ms_a_minute)} (${plain(told.drift_low)} to ${plain(told.drift_high)}${THIN}ms a minute), by ${count(told.pairs, "pair")} of events.`
            : `Only ${count(told.pairs, "pair")} of events were found: four are needed.`}{" "}
          {count(told.unmatched_first.length + told.unmatched_second.length, "event")} without a
          counterpart
          {told.unmatched_first.length > 0 &&
            `; of this film at ${told.unmatched_first
              .slice(0, 5)
              .map((at) => at.toFixed(2))
              .join(", ")}${THIN}s`}
          .
        </p>
      )}
    </section>
  );
}

const ms = (seconds: number | null) =>
  `${plain(seconds === null ? null : seconds * 1000)}${THIN}ms`;
const plain = (value: number | null) => (value === null ? "?" : significant(value));

function sentence(drift: number | null): string {
  if (drift === null) return "its drift is not known";
  const way = drift > 0 ? "falls behind" : "runs ahead";
  return `${way} by ${significant(Math.abs(drift))}${THIN}ms a minute`;
}
