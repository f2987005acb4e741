/** What share of a user's day each session is, and which sessions belong to the set. */
import { Link } from "react-router";
import type { Study } from "../api/client";
import { useMayChange } from "../api/people";
import { type SessionTable, useSetShare, useTakeOutOfSet } from "../api/sessions";
import { InPlace } from "../parts/InPlace";
import { THIN } from "../parts/text";

export function Shares(props: { study: Study; table: SessionTable }) {
  const { study, table } = props;
  const may = useMayChange();
  const set = useSetShare(study.id);
  const out = useTakeOutOfSet(study.id);
  const said = table.sessions.reduce((sum, one) => sum + (one.share ?? 0), 0);
  return (
    <>
      <h2 className="font-semibold">
        Share of a day{" "}
        <span className="font-normal text-ink-2">
          {said ? `${Math.round(said)}${THIN}% said; weighed by what was said` : "nothing said yet"}
        </span>
      </h2>
      <ul>
        {table.sessions.map((one, n) => (
          <li key={one.study} className="flex items-baseline gap-2 border-t border-line-2 py-0.5">
            <Link className="plain min-w-0 flex-1 truncate" to={`/studies/${one.study}/read`}>
              {one.title}
            </Link>
            <InPlace
              label={`share of a day of ${one.title}`}
              value={one.share === null ? "" : String(one.share)}
              placeholder="–"
              maxLength={5}
              may={(text) => text === "" || (Number(text) >= 0 && Number(text) <= 100)}
              keep={(text) =>
                set.mutate({ part: one.study, share: text === "" ? null : Number(text) })
              }
              className="w-12 text-right"
            />
            <span className="text-ink-2">%</span>
            {may && n > 0 && (
              <button
                type="button"
                className="act text-[12px]"
                title="make it a study of its own again"
                onClick={() => out.mutate(one.study)}
              >
                take out
              </button>
            )}
          </li>
        ))}
      </ul>
      {(set.error ?? out.error) && (
        <p role="alert" className="text-behind">
          {(set.error ?? out.error)?.message}
        </p>
      )}
    </>
  );
}
