/** What a film can tell: of this picture, of instants, of its sound, and which films there are. */
import { useState } from "react";
import { Link } from "react-router";
import type { Study } from "../api/client";
import {
  type FilmCourse,
  type FilmFacts,
  type FilmRegion,
  type Footage,
  type Snap,
  useFilmDrift,
} from "../api/footage";
import { Trouble } from "../parts/Trouble";
import { count, significant, THIN } from "../parts/text";
import { VariantName } from "../parts/variants";
import { uneven } from "./Films";
import { beyond } from "./marks";

const SNAPS: Snap[] = ["first change", "last change", "any picture"];

/** Where it stands, what changed with this picture, and what a mark snaps to. */
export function Here(props: {
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

/** The films of each variant: this one, those that are marked, those still to be. */
export function Takes(props: { study: Study; takes: Footage[]; film: number }) {
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
export function CanTell(props: { facts: FilmFacts }) {
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
export function Drifting(props: {
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
