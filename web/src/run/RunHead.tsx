/** Which run this is: variant, round, rig, when; and where to go from here. */
import { Link } from "react-router";
import type { RunDetail } from "../api/client";
import { useReadAgain } from "../api/runs";
import { Acts } from "../parts/Acts";
import { duration, moment } from "../parts/text";
import { VariantName } from "../parts/variants";

const PLACES = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth"];
const COUNTS = ["one", "two", "three", "four", "five", "six", "seven", "eight"];

export function RunHead(props: { run: RunDetail; children?: React.ReactNode }) {
  const { run } = props;
  const many = PLACES[run.variants - 1];
  const count = COUNTS[run.variants - 1];
  return (
    <div className="flex min-h-[45px] shrink-0 items-center gap-3 border-b border-line bg-brass-soft px-6">
      <h1 className="text-[17px] font-semibold whitespace-nowrap">Run {run.run.id}</h1>
      <VariantName index={run.run.variant} name={run.variant_name} />
      <span className="whitespace-nowrap">
        {run.run.origin === "brought in" ? "brought in" : run.run.round_label}
        {run.run.origin === "timed by hand" && ", timed by hand"}
        {run.run.level && `, at ${run.run.level}`}
        {many &&
          run.run.origin !== "brought in" &&
          !run.run.level &&
          PLACES[run.run.order_in_round] &&
          `, ${PLACES[run.run.order_in_round]} of ${count}`}
      </span>
      <span className="min-w-0 flex-1 truncate text-ink-2">
        {run.run.origin === "measured"
          ? `${run.run.rig ?? "no rig yet"} · ${run.run.cold ? "cold" : "warm"} · session v${run.script_version}`
          : (run.import_source as { file?: string }).file}{" "}
        · {moment(run.run.started ?? null)}
      </span>
      {props.children}
      <Link to={`/studies/${run.study}/read`} className="button-quiet py-1 whitespace-nowrap">
        Read the study
      </Link>
    </div>
  );
}

/** How the run ended, where that needs a word. */
export function Ending(props: { run: RunDetail }) {
  const { run } = props.run;
  if (run.unread) return <Unread run={props.run} />;
  if (run.outcome && run.outcome !== "finished")
    return (
      <p role="alert" className="border-b border-line bg-behind-ground px-6 py-2 text-behind">
        <b>{run.outcome}</b>: {run.detail}. Everything measured until then is kept; this run is
        counted, but not averaged with those that finished.
      </p>
    );
  if (run.outcome === "finished" && run.detail)
    return (
      <p role="status" className="border-b border-line px-6 py-2 text-ink-2">
        {run.detail}
      </p>
    );
  return null;
}

/** That its record could not be read, and the way to have it tried again. */
function Unread(props: { run: RunDetail }) {
  const again = useReadAgain(props.run.run.id);
  return (
    <p role="alert" className="border-b border-line bg-behind-ground px-6 py-2 text-behind">
      <b>Not read</b>: {props.run.run.unread}.{" "}
      <Acts>
        <button type="button" className="act" onClick={() => again.mutate(undefined)}>
          try again
        </button>
      </Acts>
      {again.error && ` ${again.error.message}`}
    </p>
  );
}

/** Pictures kept with the run: how the screen stood at its end, what was not as expected. */
export function KeptPictures(props: { run: RunDetail }) {
  const { run, pictures } = props.run;
  if (!pictures.length) return null;
  return (
    <section
      aria-label="pictures kept"
      className="flex flex-wrap gap-4 border-b border-line-2 py-2"
    >
      {pictures.map((picture) => (
        <figure key={picture.name} className="w-[240px]">
          <a href={`/api/runs/${run.id}/pictures/${picture.name}`} target="_blank" rel="noreferrer">
            <img
              src={`/api/runs/${run.id}/pictures/${picture.name}`}
              alt={picture.what}
              className="max-h-[150px] border border-line"
            />
          </a>
          <figcaption className="text-[12px] text-ink-2">
            {picture.what}, {duration(picture.at_s)}
          </figcaption>
        </figure>
      ))}
    </section>
  );
}
