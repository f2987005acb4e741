/** Links that show this study to somebody without an account: to be read only, for a time. */
import { useState } from "react";
import type { Study } from "../../api/client";
import { useMayChange, useShare, useShares, useUnshare } from "../../api/people";
import { NumberInPlace } from "../../parts/InPlace";
import { ShownOnce } from "../../parts/ShownOnce";
import { moment } from "../../parts/text";

export function Share(props: { study: Study }) {
  return useMayChange() ? <Links study={props.study} /> : null;
}

function Links(props: { study: Study }) {
  const shares = useShares(props.study.id);
  const share = useShare(props.study.id);
  const unshare = useUnshare(props.study.id);
  const [whom, setWhom] = useState("");
  const [days, setDays] = useState(30);
  const [names, setNames] = useState(false);
  const holding = (shares.data ?? []).filter(
    (one) => !one.revoked && new Date(one.expires) > new Date(),
  );
  return (
    <section className="mt-6 border-t border-line pt-4">
      <h2 className="font-semibold">Show it to somebody</h2>
      <p className="text-[12px] text-ink-2">
        A link shows this study with the sessions of its set and their runs, and nothing else of the
        workspace; it changes nothing.
      </p>
      <ul className="mt-1">
        {holding.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 border-b border-line-2 py-0.5">
            <span className="min-w-0 flex-1 truncate">
              {one.whom || "anybody"}
              {one.names && <span className="text-ink-2">, with names</span>}
            </span>
            <span className="text-[12px] text-ink-2">
              until {moment(one.expires).replace(/ \d\d:\d\d$/, "")}
              {one.last_used ? `, opened ${moment(one.last_used)}` : ", not opened yet"}
            </span>
            <button type="button" className="act" onClick={() => unshare.mutate(one.id)}>
              revoke
            </button>
          </li>
        ))}
      </ul>
      {share.data ? (
        <ShownOnce
          what="Whoever has this link can read the study:"
          text={share.data.link}
          take="copy the link"
          note="It is shown this once."
          done={() => {
            share.reset();
            setWhom("");
          }}
        />
      ) : (
        <form
          className="mt-2 flex flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            share.mutate({ whom: whom.trim(), days, names });
          }}
        >
          <input
            aria-label="whom the link is for"
            className="field w-32"
            placeholder="the makers"
            maxLength={120}
            value={whom}
            onChange={(event) => setWhom(event.target.value)}
          />
          <span>
            for{" "}
            <NumberInPlace
              label="days the link holds"
              value={days}
              least={1}
              most={365}
              className="w-10"
              keep={(value) => setDays(Math.round(value ?? 30))}
            />{" "}
            days
          </span>
          <label className="whitespace-nowrap">
            <input
              type="checkbox"
              checked={names}
              onChange={(event) => setNames(event.target.checked)}
            />{" "}
            with members' names
          </label>
          <button type="submit" className="button-quiet" disabled={share.isPending}>
            Make a link
          </button>
        </form>
      )}
      {share.error && (
        <p role="alert" className="mt-1 text-behind">
          {share.error.message}
        </p>
      )}
    </section>
  );
}
