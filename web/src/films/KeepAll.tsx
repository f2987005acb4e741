/** Films that are marked become runs, all at once, and what they answer. */
import { useState } from "react";
import { Link } from "react-router";
import type { Study } from "../api/client";
import { type Footage, useKeepAllFootage } from "../api/footage";
import { A_LOOK_OF_ITS_OWN, hasVerdictOfBroughtIn } from "../logs/becoming";
import { KeptApart } from "../logs/KeptApart";
import { MayBeCompared } from "../logs/MayBeCompared";
import { WhatItAnswers } from "../logs/WhatItAnswers";
import { Acts } from "../parts/Acts";
import { count } from "../parts/text";

export function KeepAll(props: { study: Study; films: Footage[] }) {
  const { study, films } = props;
  const keep = useKeepAllFootage(study.id);
  const here = study.runs.some((run) => run.origin === "measured");
  const [reason, setReason] = useState(here ? "" : "all of this study was measured elsewhere");
  const fresh = films.filter((film) => film.run === null);
  const marked = fresh.filter((film) => film.timings.length > 0);
  const bare = fresh.filter((film) => film.state !== "failed" && film.timings.length === 0);
  const next = bare.find((film) => film.state === "ready");
  const runs = films.flatMap((film) => (film.run === null ? [] : [film.run]));
  return (
    <section aria-label="what becomes of them" className="mt-5 max-w-[860px]">
      {marked.length > 0 && (
        <Acts>
          <form
            className="flex flex-wrap items-center gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              keep.mutate({ films: marked.map((film) => film.id), reason: reason.trim() });
            }}
          >
            <MayBeCompared because={reason} say={setReason} />
            <button type="submit" className="button" disabled={keep.isPending}>
              Keep {count(marked.length, "film")} as {count(marked.length, "run")}
            </button>
          </form>
        </Acts>
      )}
      {marked.length > 0 && reason.trim() && hasVerdictOfBroughtIn(study) && (
        <p className="mt-1 text-ink-2">{A_LOOK_OF_ITS_OWN}</p>
      )}
      {next && (
        <p className="mt-1 text-ink-2">
          {count(bare.length, "film")} {bare.length === 1 ? "is" : "are"} not marked yet:{" "}
          <Link className="plain" to={`/studies/${study.id}/films/${next.id}`}>
            mark {next.name}
          </Link>
        </p>
      )}
      {keep.error && (
        <p role="alert" className="mt-1 text-behind">
          {keep.error.message}
        </p>
      )}
      {runs.length > 0 && (
        <>
          <WhatItAnswers study={study} />
          <KeptApart study={study} among={runs} />
        </>
      )}
    </section>
  );
}
