/** The sessions of a study's set, below the notches: each has its own script, plan and readings. */
import { Link } from "react-router";
import type { Study } from "../api/client";
import { useSession } from "../api/queries";

export function SessionStrip(props: { study: Study; notch: string }) {
  const { study, notch } = props;
  const shared = useSession().data?.study ?? null;
  if (study.session_set.length < 2) return null;
  // a link to one session shows that one alone
  if (shared !== null && shared !== study.session_set[0]?.study) return null;
  return (
    <nav
      aria-label="Sessions of the study"
      className="flex items-baseline gap-4 overflow-x-auto border-b border-line px-6 py-1 text-[12.5px] whitespace-nowrap"
    >
      <span className="text-ink-2">{study.session_set.length} sessions:</span>
      {study.session_set.map((one) =>
        one.study === study.id ? (
          <b key={one.study} aria-current="page">
            {one.title}
          </b>
        ) : (
          <Link key={one.study} className="plain" to={`/studies/${one.study}/${notch}`}>
            {one.title}
          </Link>
        ),
      )}
      <span className="flex-1" />
      <Link className="plain" to={`/studies/${study.session_set[0]?.study}/sessions`}>
        beside each other
      </Link>
    </nav>
  );
}
