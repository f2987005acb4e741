/** The study as one file, to be repeated or read anew elsewhere: made when asked for, then taken. */

import { howFar, useBundlesOf, useMakeBundle } from "../../api/bundles";
import type { Study } from "../../api/client";

export function TakeBundle(props: { study: Study }) {
  const bundles = useBundlesOf(props.study.id);
  const make = useMakeBundle(props.study.id);
  const newest = bundles.data?.[0];
  const busy = newest?.state === "waits" || newest?.state === "working";
  const about = newest ? howFar(newest) : "to repeat it, or to read it anew";
  return (
    <li className="flex items-baseline gap-2 border-b border-line-2 py-1">
      <span className="w-20 font-semibold">Bundle</span>
      <span
        className={`min-w-0 flex-1 truncate ${newest?.state === "failed" ? "text-behind" : "text-ink-2"}`}
        title={about}
        aria-live="polite"
      >
        {make.error?.message ?? about}
      </span>
      {!busy && (
        <button
          type="button"
          className="act"
          disabled={make.isPending}
          onClick={() => make.mutate()}
        >
          {newest ? "make anew" : "make"}
          <span className="sr-only"> a bundle</span>
        </button>
      )}
      {newest?.state === "done" && (
        <a className="act" href={`/api/bundles/${newest.id}/file`} download>
          save<span className="sr-only"> the bundle</span>
        </a>
      )}
    </li>
  );
}
