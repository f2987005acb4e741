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
  useFootage,
  useFootageOf,
  useKeepFootage,
  useSetMarks,
} from "../api/footage";
import { Acts } from "../parts/Acts";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, duration } from "../parts/text";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { FilmLanes } from "./FilmLanes";
import { howFar, rate } from "./Films";
import { CanTell, Drifting, Here, Takes } from "./FilmTells";
import { beyond, edges, nextOpen, proposal, same, whole, withMark } from "./marks";
import { Stage } from "./Stage";
import { Sentence, Timing } from "./Timings";

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

const framesOf = (study: Study) =>
  study.script.stretches.filter((one) => one.kind === "frames").map((one) => one.path);

/** The timings and frame stretches of the study's session, and what films have marked besides. */
function pathsOf(study: Study, films: Footage[], named: string[][]): string[][] {
  const marked = films.flatMap((film) => film.marks.map((mark) => mark.path));
  const found: string[][] = [];
  for (const path of [...study.script.stretches.map((one) => one.path), ...marked, ...named])
    if (!found.some((one) => same(one, path))) found.push(path);
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
  const films = useFootageOf(study.id);
  const [named, setNamed] = useState<string[][]>([]);
  const paths = pathsOf(study, [film, ...(films.data ?? [])], named);
  const asked = paths[path] ?? (paths[0] as string[]);
  const mine = marks.find((mark) => same(mark.path, asked));
  const isFrames = framesOf(study).some((one) => same(one, asked));
  const proposed = proposal(course, mine, picture, isFrames);
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
    const next = withMark(latest.current, asked, end, at, chosen);
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
  const bare = takes.filter((one) => one.run === null && one.timings.length === 0);
  const unmarked = film.timings.length ? bare.find((one) => one.id !== film.id) : undefined;
  const allMarked = takes.length > 1 && film.run === null && film.timings.length > 0 && !unmarked;
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
    {
      keys: "c",
      does: "to where the next scene begins",
      act: () => go(beyond(facts.scenes, picture, 1)),
    },
    {
      keys: "C",
      does: "to where a scene before began",
      act: () => go(beyond(facts.scenes, picture, -1)),
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
      act: () => {
        const to = unmarked ?? nextTake;
        if (to) navigate(`/studies/${study.id}/films/${to.id}`);
      },
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
            <kbd>n</kbd> <kbd>N</kbd> where changes begin or end ·{" "}
            {facts.scenes.length > 1 && (
              <>
                <kbd>c</kbd> <kbd>C</kbd> {count(facts.scenes.length, "scene")} ·{" "}
              </>
            )}
            <kbd>s</kbd> starts · <kbd>e</kbd> ends · <kbd>Enter</kbd> takes what is proposed ·{" "}
            <kbd>j</kbd> <kbd>k</kbd> timing · drag a region · <kbd>u</kbd> undo
          </p>
        </div>
        <aside className="border-l border-line bg-card px-5 py-3">
          <Sentence film={film} path={asked} mark={mine} proposed={proposed} all={all} />
          {unmarked && (
            <p className="mt-1">
              <Link className="plain" to={`/studies/${study.id}/films/${unmarked.id}`}>
                Go on with {unmarked.name}
              </Link>{" "}
              <span className="text-ink-2">
                (<kbd>t</kbd>)
              </span>
            </p>
          )}
          {allMarked && (
            <p className="mt-1">
              <Link className="button" to={`/studies/${study.id}/films`}>
                See what {takes.length} films come to
              </Link>
            </p>
          )}
          <h2 className="mt-4 font-semibold">The session's timings and frames</h2>
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
          <Another
            name={(wanted) => {
              setNamed([...named, wanted]);
              setPath(paths.length);
            }}
          />
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

/** One more thing to mark, called as its readings will be: step / name. */
function Another(props: { name: (path: string[]) => void }) {
  const [text, setText] = useState("");
  return (
    <Acts>
      <form
        className="mt-1"
        onSubmit={(event) => {
          event.preventDefault();
          const parts = text.split("/").flatMap((part) => part.trim() || []);
          const [first] = parts;
          if (!first) return;
          props.name(parts.length > 1 ? parts.slice(0, 4) : [first, first]);
          setText("");
        }}
      >
        <input
          aria-label="name of another timing"
          className="field w-full"
          placeholder="another timing, such as Export / export"
          maxLength={200}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </form>
    </Acts>
  );
}
