/** The gate: how a build server asks this question at every build, and what came of the last ones. */
import { Link } from "react-router";
import type { Study } from "../../api/client";
import { type Gate, useGates } from "../../api/report";
import { count, moment } from "../../parts/text";

const SHOWN = 6;
const TONES: Record<string, string> = {
  "not slower": "verdict-ahead",
  slower: "verdict-behind",
};

export function Gates(props: { study: Study; mayChange: boolean }) {
  const { study } = props;
  const gates = useGates(study.id, props.mayChange);
  const latest = gates.data?.[0];
  const origin = window.location.origin;
  return (
    <section aria-label="at every build" className="mt-6 border-t border-line pt-4">
      <h2 className="font-semibold">Ask it of every build</h2>
      <p className="text-[12px] text-ink-2">
        A build server holds each build against {study.variants[study.baseline]?.name} in a study of
        its own, and stops at what is slower in what matters, twice.
      </p>
      {gates.data && gates.data.length > 0 && (
        <ul className="mt-1">
          {gates.data.slice(0, SHOWN).map((gate) => (
            <Build key={gate.id} gate={gate} />
          ))}
        </ul>
      )}
      {latest && (
        <p className="mt-1 text-[12px] text-ink-2">
          {count(latest.builds_of_month, "build")} in a month: about{" "}
          {latest.false_failures_a_year.toFixed(1)} a year will fail though nothing is slower.
        </p>
      )}
      <details className="mt-1">
        <summary className="act cursor-pointer">how a build server asks</summary>
        <pre
          tabIndex={0}
          className="my-1 overflow-x-auto border border-line bg-card p-2 font-mono text-[11px]"
        >
          {[
            `curl -fsS ${origin}/agent/gate.py -o gate.py`,
            `YARDSTICK_TOKEN=… python3 gate.py --server ${origin} \\`,
            `  --study ${study.id} --build "$BUILD" --program NAME --junit gate.xml`,
          ].join("\n")}
        </pre>
        <p className="text-[12px] text-ink-2">
          It ends with 0: not slower, 1: slower, 2: not known well enough, 3: could not be measured.
          The token is made under{" "}
          <Link className="plain" to="/people">
            People
          </Link>
          , with the scope to measure; NAME is what the rig starts. What is measured elsewhere
          brings its logs in place of a name: <code>--results</code>,{" "}
          <code>--baseline-results</code>.
        </p>
      </details>
    </section>
  );
}

function Build(props: { gate: Gate }) {
  const { gate } = props;
  const running = gate.state !== "done";
  return (
    <li className="flex items-baseline gap-2 border-b border-line-2 py-0.5" title={gate.why}>
      <Link className="plain min-w-0 flex-1 truncate" to={`/studies/${gate.study}/read`}>
        {gate.build}
      </Link>
      <span className="text-[12px] text-ink-2">{moment(gate.at)}</span>
      <span className={`verdict ${TONES[gate.outcome] ?? "verdict-open"}`}>
        {running ? `${gate.runs_done} of ${gate.runs_total} runs` : gate.outcome}
      </span>
    </li>
  );
}
