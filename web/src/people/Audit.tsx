/** Who changed what, newest first. */
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useAudit } from "../api/people";
import { moment } from "../parts/text";

type Entry = Schemas["Audit"];

export function Audit() {
  const audit = useAudit();
  const entries = audit.data?.pages.flat() ?? [];
  return (
    <section className="border-l border-line pl-6">
      <h2 className="font-semibold">Who changed what</h2>
      {entries.length === 0 && (
        <p className="text-ink-2">Nothing yet: each change leaves a line here, for good.</p>
      )}
      <ol className="mt-1">
        {entries.map((entry) => (
          <li
            key={entry.id}
            className="grid grid-cols-[92px_minmax(0,1fr)] gap-3 border-b border-line-2 py-1"
          >
            <span className="text-[12px] text-ink-2">{moment(entry.at)}</span>
            <span>
              <b className="font-medium">{entry.who}</b> {entry.what}
              {entry.study != null && (
                <>
                  {" "}
                  <Link className="plain" to={`/studies/${entry.study}`}>
                    study {entry.study}
                  </Link>
                </>
              )}
              {sent(entry) && (
                <span className="block truncate text-[12px] text-ink-2" title={sent(entry)}>
                  {sent(entry)}
                </span>
              )}
            </span>
          </li>
        ))}
      </ol>
      {audit.hasNextPage && (
        <button type="button" className="act mt-2" onClick={() => audit.fetchNextPage()}>
          older entries
        </button>
      )}
    </section>
  );
}

/** What was asked for, as short text. */
export function sent(entry: Pick<Entry, "sent">): string {
  return Object.entries(entry.sent)
    .map(([name, value]) => `${name}: ${String(value)}`)
    .join(", ");
}
