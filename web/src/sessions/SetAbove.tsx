/** What a set says together, above the readings of one of its sessions: a sentence, and the table. */
import { Link, useSearchParams } from "react-router";
import type { Study } from "../api/client";
import { useSessionTable } from "../api/sessions";
import { Choices } from "./Choices";
import { SessionsPicture } from "./SessionsPicture";

export function SetAbove(props: { study: Study }) {
  return props.study.session_set.length > 1 ? <OfSet study={props.study} /> : null;
}

function OfSet(props: { study: Study }) {
  const { study } = props;
  const [search, setSearch] = useSearchParams();
  const metric = search.get("over");
  const table = useSessionTable(study.id, metric ?? "").data;
  const show = (over: string | null) =>
    setSearch(
      (now) => {
        if (over === null) now.delete("over");
        else now.set("over", over);
        return now;
      },
      { replace: true },
    );
  if (!table) return null;
  return (
    <section
      aria-label="over all sessions"
      className="max-h-[50%] shrink-0 overflow-auto border-b border-line px-6 py-1"
    >
      <p>
        <span className="text-ink-2">Over all {study.session_set.length} sessions:</span>{" "}
        {table.headline}
        <button
          type="button"
          className="act mx-3"
          aria-expanded={metric !== null}
          onClick={() => show(metric === null ? "" : null)}
        >
          {metric === null ? "show the table" : "hide the table"}
        </button>
        <Link className="plain" to={`/studies/${study.id}/sessions`}>
          all of it
        </Link>
      </p>
      {metric !== null && (
        <>
          <Choices table={table} choose={show} />
          <SessionsPicture table={table} rows={table.sessions} pinned={[]} chosen={study.id} />
        </>
      )}
    </section>
  );
}
