/** Match: what was not alike in the runs besides the factor, and what persons say of it. */
import { Link, useSearchParams } from "react-router";
import type { Schemas, Study } from "../../api/client";
import { useMatch } from "../../api/match";
import { useKeys } from "../../parts/keyboard";
import { Trouble, Waiting } from "../../parts/Trouble";
import { count } from "../../parts/text";
import { Drifting } from "./Drifting";
import { Preconditions } from "./Preconditions";
import { inASentence } from "./parityStatus";
import { Sheet } from "./Sheet";
import { Today } from "./Today";
import { Settling } from "./Waiving";
import { Watching } from "./Watching";

export type MatchSheet = Schemas["Match"];
const MOST_NAMED = 6;

export function Match(props: { study: Study }) {
  const match = useMatch(props.study.id);
  if (match.isPending) return <Waiting what="the parity sheet" />;
  if (match.error)
    return <Trouble what="The parity sheet" error={match.error} again={() => match.refetch()} />;
  return <Matched study={props.study} match={match.data} />;
}

function Matched(props: { study: Study; match: MatchSheet }) {
  const { study, match } = props;
  const [search, setSearch] = useSearchParams();
  const { mismatches } = match;
  const elsewhere =
    mismatches.length === 0 &&
    study.runs.length > 0 &&
    study.runs.every((run) => run.origin === "brought in");
  const chosen = mismatches.find((part) => part.identity === search.get("item")) ?? mismatches[0];
  const choose = (identity: string) =>
    setSearch(
      (now) => {
        now.set("item", identity);
        return now;
      },
      { replace: true },
    );
  const step = (by: number) => {
    const place = chosen ? mismatches.indexOf(chosen) : -1;
    const next = mismatches[Math.max(0, Math.min(mismatches.length - 1, place + by))];
    if (next) choose(next.identity);
  };
  useKeys("Match", [
    { keys: "j", does: "next difference", act: () => step(1) },
    { keys: "k", does: "previous difference", act: () => step(-1) },
    {
      keys: "Enter",
      does: "settle it: say why the comparison stands",
      act: () => document.getElementById("reason")?.focus(),
    },
  ]);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_376px]">
      <div tabIndex={0} className="min-h-0 overflow-auto px-6 pt-4 pb-10">
        <h1 className="text-[15px] font-semibold">
          What else was different between the runs
          {study.factor ? `, besides the ${study.factor}` : ""}
        </h1>
        {!elsewhere && (
          <Sheet study={study} mismatches={mismatches} chosen={chosen?.identity} choose={choose} />
        )}
        {match.alike.map((one) => (
          <p key={one} className="mt-2 max-w-4xl border-l-3 border-brass bg-card px-3 py-1.5">
            {one.charAt(0).toUpperCase() + one.slice(1)}.
          </p>
        ))}
        {match.unknown.length > 0 && (
          <p className="mt-2 max-w-4xl text-[12px] text-ink-2">
            Not known for any run, so not compared: {match.unknown.join(", ")}.
          </p>
        )}
        {match.unread.map((one) => (
          <p key={one.why} className="mt-1 max-w-4xl text-[12px] text-behind">
            Settings of {count(one.runs.length, "run")} are not known, so not held against others:{" "}
            {one.why}.{" "}
            {one.runs.slice(0, MOST_NAMED).map((run) => (
              <Link key={run} className="plain mr-1" to={`/runs/${run}`}>
                run {run}
              </Link>
            ))}
            {one.runs.length > MOST_NAMED && "…"}
          </p>
        ))}
        {match.outlived.map((one) => (
          <p key={one.id} className="mt-1 max-w-4xl text-[12px] text-ink-2">
            Settled by {one.by}, and not found in this way any more: {one.text}. “{one.reason}”
          </p>
        ))}
        {elsewhere ? (
          <p className="mt-3 max-w-[640px]">
            No rig measured these runs, so nothing of their machines can be compared here: whether
            they were alike is as those say who let them in. What is not known stands with every
            answer and in the report.
          </p>
        ) : (
          <>
            <div className="mt-7 grid max-w-5xl grid-cols-2 gap-8">
              <Watching study={study} watching={match.watching} />
              <Today study={study} today={match.today ?? null} />
            </div>
            <Drifting study={study} drift={match.drift} />
            <Preconditions found={match.preconditions} study={study} />
          </>
        )}
      </div>
      <aside
        tabIndex={0}
        aria-label="the chosen difference"
        className="overflow-auto border-l border-line bg-card px-5 py-4"
      >
        <p className="text-[17px] leading-snug">
          {elsewhere ? "Measured elsewhere." : inASentence(match.status)}
        </p>
        {chosen && <Settling key={chosen.identity} study={study} part={chosen} />}
      </aside>
    </div>
  );
}
