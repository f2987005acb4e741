/** One thing that was not alike: what it may have done, where it changed, and a person's word. */
import { useState } from "react";
import { Link } from "react-router";
import type { Study } from "../../api/client";
import { useSettle, useUnsettle } from "../../api/match";
import { useMayChange } from "../../api/people";
import { Acts } from "../../parts/Acts";
import { moment } from "../../parts/text";
import type { Mismatch } from "./mismatch";
import { Grade } from "./Sheet";

export function Settling(props: { study: Study; part: Mismatch }) {
  const { study, part } = props;
  const mayChange = useMayChange();
  const touched = part.candidates.map((index) => study.variants[index]?.name).filter(Boolean);
  return (
    <section className="mt-5 border-t border-line pt-4">
      <p className="text-[12px]">
        <Grade part={part} />
      </p>
      <p className="mt-1 text-[15px] leading-snug">{part.text}.</p>
      <p className="mt-2 text-ink-2">
        {part.is_factor ? "" : `It matters because ${part.caused}. `}
        {touched.length > 0 &&
          !part.is_factor &&
          `It touches ${part.families.length ? `what is read of ${part.families.join(", ")}` : "everything that is read"} of ${touched.join(" and ")}.`}
        {!touched.length && part.places.length > 0 && "Rounds are compared within themselves."}
      </p>
      <Places part={part} />
      {part.waived ? (
        <WaivedBy study={study} part={part} />
      ) : (
        mayChange &&
        !part.is_factor &&
        part.grade !== "harmless" && <Settle study={study} part={part} />
      )}
    </section>
  );
}

const MOST_PLACES = 6;

function Places(props: { part: Mismatch }) {
  const { places } = props.part;
  if (!places.length) return null;
  return (
    <ul className="mt-3 text-[12px]">
      {places.slice(0, MOST_PLACES).map((place) => (
        <li key={place.after_run} className="border-l-2 border-brass py-0.5 pl-2">
          between{" "}
          <Link className="plain" to={`/runs/${place.before_run}`}>
            run {place.before_run}
          </Link>{" "}
          (round {place.before_round}) and{" "}
          <Link className="plain" to={`/runs/${place.after_run}`}>
            run {place.after_run}
          </Link>{" "}
          (round {place.after_round}): {place.before} → {place.after}
        </li>
      ))}
      {places.length > MOST_PLACES && (
        <li className="pl-2.5 text-ink-2">and {places.length - MOST_PLACES} more changes</li>
      )}
    </ul>
  );
}

function Settle(props: { study: Study; part: Mismatch }) {
  const settle = useSettle(props.study.id);
  const [reason, setReason] = useState("");
  const good = reason.trim().length > 0;
  return (
    <form
      className="mt-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (good) settle.mutate({ identity: props.part.identity, reason: reason.trim() });
      }}
    >
      <label htmlFor="reason" className="font-semibold">
        Why may they be compared all the same?
      </label>
      <textarea
        id="reason"
        className="field mt-1 w-full"
        rows={3}
        maxLength={400}
        value={reason}
        placeholder="It was there in all runs of last week too, and changed nothing."
        onChange={(event) => setReason(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Enter" && !event.shiftKey) {
            event.preventDefault();
            event.currentTarget.form?.requestSubmit();
          }
          if (event.key === "Escape") event.currentTarget.blur();
        }}
      />
      <button type="submit" className="button mt-1" disabled={!good || settle.isPending}>
        Settle it
      </button>
      <p className="mt-2 text-[12px] text-ink-2">
        Your reason and name stay with the study. If another difference is found later, you are
        asked again.
      </p>
      {settle.error && (
        <p role="alert" className="mt-1 text-behind">
          {settle.error.message}
        </p>
      )}
    </form>
  );
}

function WaivedBy(props: { study: Study; part: Mismatch }) {
  const { waived } = props.part;
  const takeBack = useUnsettle(props.study.id);
  if (!waived) return null;
  return (
    <blockquote className="mt-4 border-l-2 border-ink-3 pl-3">
      <p>“{waived.reason}”</p>
      <p className="mt-1 text-[12px] text-ink-2">
        {waived.by}, {moment(waived.at)} ·{" "}
        <Acts>
          <button type="button" className="act" onClick={() => takeBack.mutate(waived.id)}>
            take it back
          </button>
        </Acts>
      </p>
    </blockquote>
  );
}
