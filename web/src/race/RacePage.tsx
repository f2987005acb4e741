/** Race: runs of two to four variants side by side from the same moment. */
import { useQueries } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Race, Racer, Study } from "../api/client";
import { useMayChange } from "../api/people";
import { useStudy } from "../api/queries";
import { useFilm, useRace } from "../api/race";
import { traceQuery } from "../api/runs";
import { Acts } from "../parts/Acts";
import { Header } from "../parts/Header";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, duration, THIN } from "../parts/text";
import { Looks, VariantName } from "../parts/variants";
import { Choice } from "./Choice";
import { Controls, useRaceKeys } from "./Controls";
import { Course } from "./Course";
import { type RaceClock, useRaceClock, useShownInstant } from "./clock";
import { Skew } from "./Film";
import { LeadRule, leadSentence } from "./LeadRule";
import { rowsOf } from "./place";
import { RacerColumn } from "./RacerColumn";
import { topsOf } from "./RacerLanes";
import { TakeRace } from "./TakeRace";

const POINTS = 12_000;
const COUNTERS = "subject.processor,subject.resident";

export function RacePage() {
  const id = Number(useParams().study);
  const study = useStudy(id);
  const [search] = useSearchParams();
  const race = useRace(id, search.get("runs") ?? "", search.get("from") ?? "");
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>
        {study.data && (
          <>
            {study.data.subject} <span className="px-1">/</span>{" "}
            <Link to={`/studies/${id}`} className="font-semibold text-head-ink">
              {study.data.question}
            </Link>
          </>
        )}
      </Header>
      {race.isPending && <Waiting what="the runs" />}
      {study.data && race.error && !race.data && (
        <NoRace study={study.data} why={race.error.message} />
      )}
      {study.error && <Trouble what="This study" error={study.error} />}
      {study.data && race.data && (
        <Looks baseline={study.data.baseline} className="min-h-0 flex-1 overflow-auto">
          <Body
            key={race.data.racers.map((racer) => racer.run).join() + race.data.at}
            study={study.data}
            race={race.data}
          />
        </Looks>
      )}
    </div>
  );
}

/** Nothing to race yet: what is missing, and how to get it. */
function NoRace(props: { study: Study; why: string }) {
  const film = useFilm(props.study.id);
  return (
    <div className="mx-auto max-w-[640px] px-6 py-12">
      <h1 className="text-[20px] font-semibold">No race yet</h1>
      <p className="mt-2">{props.why}</p>
      <Acts>
        <p className="mt-4 flex gap-3">
          <Link className="button" to={`/studies/${props.study.id}/measure`}>
            Measure a round
          </Link>
          <button type="button" className="button-quiet" onClick={() => film.mutate()}>
            Film one run of each
          </button>
        </p>
      </Acts>
      {film.data && (
        <p className="mt-3 text-ink-2">
          {count(film.data.runs.length, "filmed run")} queued; they race once they are measured.
        </p>
      )}
      {film.error && <Trouble what="Filming" error={film.error} />}
    </div>
  );
}

function Body(props: { study: Study; race: Race }) {
  const { study, race } = props;
  const [search, setSearch] = useSearchParams();
  const clock = useRaceClock(race.end_s, Number(search.get("t")) || 0);
  const skew = useMemo(() => new Skew(), []);
  const [hidden, setHidden] = useState<Set<number>>(new Set());
  const traces = useQueries({
    queries: race.racers.map((racer) =>
      traceQuery(racer.run, {
        from: 0,
        to: Math.max(0.1, racer.zero_s + racer.end_s + 2),
        points: POINTS,
        counters: COUNTERS,
      }),
    ),
  }).map((one) => one.data);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the list is new each time, its traces are not
  const tops = useMemo(() => topsOf(traces), traces);
  const shown = race.racers.map((_, number) => number).filter((number) => !hidden.has(number));
  const rows = rowsOf(race.racers, race.baseline).filter((number) => !hidden.has(number));
  const say = (changes: Record<string, string | null>) => {
    const next = new URLSearchParams(window.location.search);
    for (const [name, value] of Object.entries(changes))
      if (value === null) next.delete(name);
      else next.set(name, value);
    setSearch(next, { replace: true });
  };
  const sayRef = useRef(say);
  sayRef.current = say;
  // The address holds where the race stands, not where it runs.
  useEffect(
    () =>
      clock.subscribe(() => {
        if (clock.playing) return;
        const at = clock.now().toFixed(2);
        if (new URLSearchParams(window.location.search).get("t") !== at) sayRef.current({ t: at });
      }),
    [clock],
  );
  const still = () => window.open(stillAddress(study.id, race, clock.now()), "_blank");
  useRaceKeys({ race, clock, still, hide: (number) => setHidden(toggled(hidden, number, race)) });
  const films = race.racers.filter((racer) => racer.film).length;
  return (
    <>
      <div className="flex h-11 items-center gap-4 border-b border-line bg-brass-soft px-6">
        <h1 className="text-[17px] font-semibold">Race</h1>
        <Choice race={race} study={study} say={say} />
        <span className="ml-auto text-[12px] text-ink-2">
          <InStep clock={clock} skew={skew} films={films} />
        </span>
        <button type="button" className="button-quiet" onClick={still}>
          Still
        </button>
        <TakeRace study={study.id} race={race} />
      </div>
      <div className="px-6 pt-2 pb-4">
        <div
          className="grid gap-4"
          style={{ gridTemplateColumns: `repeat(${shown.length}, minmax(0, 1fr))` }}
        >
          {shown.map((number) => (
            <RacerColumn
              key={race.racers[number]?.run}
              racer={race.racers[number] as Racer}
              number={number}
              ends={race.end_s}
              trace={traces[number]}
              tops={tops}
              clock={clock}
              skew={skew}
              high={shown.length > 3 ? 190 : 250}
            />
          ))}
        </div>
        <Told race={race} shown={shown} clock={clock} reach={race.reach_s} />
        <Controls race={race} clock={clock} />
        <Moving clock={clock}>
          {(now) => <Course race={race} rows={rows} now={now} seek={(at) => clock.seek(at)} />}
        </Moving>
        <p className="mt-3 max-w-[900px] text-[12px] text-ink-2">
          One run of each: a lead here has no interval and is no verdict.{" "}
          {race.answers.length > 0 && race.rounds > 0 && (
            <>
              What {count(race.rounds, "round")} say:{" "}
              {race.answers.map((answer, n) => (
                <span key={`${answer.variant} ${answer.text}`}>
                  {n > 0 && "; "}
                  <VariantName
                    index={answer.variant}
                    name={study.variants[answer.variant]?.name ?? ""}
                  />{" "}
                  {answer.text}
                </span>
              ))}
              .{" "}
            </>
          )}
          {cost(race)}
          <Link className="plain" to={`/studies/${study.id}/read`}>
            Read all differences
          </Link>
          <FilmAct race={race} study={study} />
        </p>
      </div>
    </>
  );
}

function toggled(hidden: Set<number>, number: number, race: Race): Set<number> {
  const next = new Set(hidden);
  if (!next.delete(number)) next.add(number);
  return next.size > race.racers.length - 1 ? hidden : next;
}

export function stillAddress(study: number, race: Race, at: number): string {
  const runs = race.racers.map((racer) => racer.run).join(",");
  const asked = new URLSearchParams({ runs, at: race.at, instant: at.toFixed(3) });
  return `/api/studies/${study}/race/still?${asked}`;
}

/** Where runs were filmed: what that cost them, beside runs without a film. */
function cost(race: Race): string {
  const [first] = race.filming_cost;
  if (!first) return "";
  const outside = race.filming_cost.filter(
    (one) => one.filmed_s < one.shortest_s || one.filmed_s > one.longest_s,
  );
  if (!outside.length) return "Filmed, each took as long as its runs without a film. ";
  return outside
    .map(
      (one) =>
        `Filmed, ${one.name} took ${duration(one.filmed_s)}; its ${count(one.runs, "run")} without a film ${duration(one.shortest_s)} to ${duration(one.longest_s)}. `,
    )
    .join("");
}

function FilmAct(props: { race: Race; study: Study }) {
  const film = useFilm(props.study.id);
  const mayChange = useMayChange();
  const without = props.race.racers.filter((racer) => !racer.film).length;
  if (!mayChange || !without || props.study.demonstration) return null;
  if (film.data)
    return <> · {count(film.data.runs.length, "filmed run")} queued, as soon as a rig is free</>;
  return (
    <>
      {" · "}
      <button type="button" className="text-brass" onClick={() => film.mutate()}>
        Film one run of each
      </button>
      {film.error && <span className="text-behind"> {film.error.message}</span>}
    </>
  );
}

/** What changes with the instant that is shown, and nothing else. */
function Moving(props: { clock: RaceClock; children: (now: number) => React.ReactNode }) {
  return props.children(useShownInstant(props.clock));
}

function InStep(props: { clock: RaceClock; skew: Skew; films: number }) {
  useShownInstant(props.clock);
  if (props.films < 2) return null;
  const worst = props.clock.playing ? props.skew.worst() : 0;
  if (worst === null) return null;
  return (
    <span data-skew-ms={(worst * 1000).toFixed(1)}>
      {props.clock.playing
        ? `films in step to ${Math.max(1, Math.round(worst * 1000))}${THIN}ms`
        : "films stand together"}
    </span>
  );
}

/** Who leads: a sentence and the rule. */
function Told(props: { race: Race; shown: number[]; clock: RaceClock; reach: number }) {
  const now = useShownInstant(props.clock);
  return (
    <>
      <p className="mt-1 flex items-baseline gap-4">
        <span className="text-[17px]" aria-live="off">
          {leadSentence(props.race, now)}
        </span>
        <span className="ml-auto text-[12px] text-ink-2">
          how long {props.race.racers[props.race.baseline]?.name} still needs to get there; hatched:
          after its end
        </span>
      </p>
      <LeadRule race={props.race} shown={props.shown} now={now} reach={props.reach} />
    </>
  );
}
