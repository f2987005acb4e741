/** What the script asks for before each run, and how it was found: checked, or on a word. */
import { Link } from "react-router";
import type { Schemas, Study } from "../../api/client";
import { count } from "../../parts/text";

export function Preconditions(props: { study: Study; found: Schemas["KeptPrecondition"][] }) {
  return (
    <section className="mt-7 max-w-5xl">
      <h2 className="font-semibold">What had to be true before each run</h2>
      {props.found.length === 0 ? (
        <p className="text-ink-2">
          The session script asks for nothing. Under <code className="font-mono">every run</code> it
          can: caches emptied, network off, the machine settled, what a person must have seen to.{" "}
          <Link className="plain" to={`/studies/${props.study.id}/script`}>
            Script
          </Link>
        </p>
      ) : (
        <ul>
          {props.found.map((one) => (
            <li
              key={one.what}
              className="grid grid-cols-[1fr_auto] gap-4 border-b border-line-2 py-1"
            >
              <span>{one.what}</span>
              <span className="text-ink-2">
                {one.passed > 0 && `checked in ${count(one.passed, "run")}`}
                {one.ticked > 0 && `ticked by ${one.by.join("; ")}, ${count(one.ticked, "run")}`}
                {one.failed > 0 && (
                  <b className="text-behind"> not so before {count(one.failed, "run")}</b>
                )}
              </span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
