/** The gate: what is started for a build, what a build server runs, what came of the last builds. */
import { useState } from "react";
import { Link } from "react-router";
import type { Study } from "../../api/client";
import { useIsOwner, useMakeToken } from "../../api/people";
import {
  type BuildStart,
  type Gate,
  useAskOfBuild,
  useBuildStart,
  useGates,
  useSayBuildStart,
} from "../../api/report";
import { copied } from "../../parts/clipboard";
import { InPlace } from "../../parts/InPlace";
import { ShownOnce } from "../../parts/ShownOnce";
import { StartOnRig } from "../../parts/StartOnRig";
import { count, moment } from "../../parts/text";

const SHOWN = 6;
const TONES: Record<string, string> = {
  "not slower": "verdict-ahead",
  slower: "verdict-behind",
};

export function Gates(props: { study: Study; mayChange: boolean }) {
  const { study } = props;
  const gates = useGates(study.id, props.mayChange);
  const start = useBuildStart(study.id);
  const baseline = study.variants[study.baseline];
  const latest = gates.data?.[0];
  if (!baseline) return null;
  const elsewhere = baseline.program === "";
  return (
    <section aria-label="at every build" className="mt-6 border-t border-line pt-4">
      <h2 className="font-semibold">Ask it of every build</h2>
      <p className="text-[12px] text-ink-2">
        Each build is held against {baseline.name} in a study of its own. It is slower only where it
        is behind in what matters twice.
      </p>
      {!elsewhere && start.data && <Start study={study} start={start.data} />}
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
        <summary className="act cursor-pointer">what a build server runs</summary>
        <Lines study={study} elsewhere={elsewhere} />
      </details>
    </section>
  );
}

/** What is started for a build, and asking it of one now. */
function Start(props: { study: Study; start: BuildStart }) {
  const { study, start } = props;
  const say = useSayBuildStart(study.id);
  const ask = useAskOfBuild(study.id);
  const [build, setBuild] = useState("");
  const trouble = say.error ?? ask.error;
  return (
    <>
      <p className="mt-2 text-[12px] text-ink-2">a build is started by</p>
      <InPlace
        label="what is started for a build"
        value={start.command}
        placeholder={start.proposed || "the command that starts it"}
        maxLength={8000}
        may={(text) => text !== ""}
        keep={(typed) => say.mutate(typed)}
        className="ml-0! w-full border-line! font-mono text-[12px]"
      />
      {start.command === "" && (
        <p className="text-[12px] text-ink-2">
          The same for every build: yours are put where this finds them.
        </p>
      )}
      {start.command !== "" && (
        <StartOnRig
          onRig={start.on_rig}
          program={start.program}
          asking={say.isPending}
          ask={() => say.mutate(start.command)}
        />
      )}
      {start.command !== "" && start.on_rig.state === "no rig" && (
        <p className="text-[12px] text-ink-2">
          Which rig starts it is not said: choose one under Ask, Plan.
        </p>
      )}
      {start.on_rig.state === "allowed" && (
        <form
          className="mt-1 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (build.trim()) ask.mutate(build.trim(), { onSuccess: () => setBuild("") });
          }}
        >
          <input
            aria-label="name of the build"
            className="field w-36"
            placeholder="which build is there"
            maxLength={60}
            value={build}
            onChange={(event) => setBuild(event.target.value)}
          />
          <button
            type="submit"
            className="button-quiet"
            disabled={build.trim() === "" || ask.isPending}
          >
            Is it slower?
          </button>
        </form>
      )}
      {trouble && (
        <p role="alert" className="mt-1 text-behind">
          {trouble.message}
        </p>
      )}
    </>
  );
}

/** What a build server runs, with everything filled in that is known. */
function Lines(props: { study: Study; elsewhere: boolean }) {
  const { study } = props;
  const owner = useIsOwner();
  const make = useMakeToken();
  const [said, setSaid] = useState("");
  const origin = window.location.origin;
  const of = props.elsewhere ? "--results build-*.csv --baseline-results base-*.csv" : "";
  const text = [
    `curl -fsS ${origin}/agent/gate.py -o gate.py`,
    `python3 gate.py --server ${origin} \\`,
    `  --study ${study.id} --build "$BUILD" ${of && `${of} `}--junit gate.xml`,
  ].join("\n");
  return (
    <>
      <pre
        tabIndex={0}
        className="mt-1 overflow-x-auto border border-line bg-card p-2 font-mono text-[11px]"
      >
        {text}
      </pre>
      <button
        type="button"
        className="act"
        aria-live="polite"
        onClick={async () => setSaid(await copied(text, "gate.sh"))}
      >
        {said || "copy"}
        <span className="sr-only"> what a build server runs</span>
      </button>
      <p className="mt-1 text-[12px] text-ink-2">
        It ends with 0: not slower, 1: slower, 2: not known well enough, 3: could not be measured.
        It reads a token from <code>YARDSTICK_TOKEN</code>
        {owner ? ": " : ", which an owner makes under People."}
        {owner && !make.data && (
          <button
            type="button"
            className="act"
            disabled={make.isPending}
            onClick={() =>
              make.mutate({ name: `builds of ${study.subject}`.slice(0, 80), scope: "measure" })
            }
          >
            make one
          </button>
        )}
      </p>
      {make.data && (
        <ShownOnce
          what="It may read, and start or stop measuring."
          text={make.data.token}
          take="copy the token"
          note="It is shown this once; here only its digest is kept. Revoke it under People."
          done={() => make.reset()}
        />
      )}
      {make.error && (
        <p role="alert" className="mt-1 text-behind">
          {make.error.message}
        </p>
      )}
    </>
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
