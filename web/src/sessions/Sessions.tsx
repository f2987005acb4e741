/** The sessions of a study beside each other: one metric, two lines a session, and the means. */
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Study } from "../api/client";
import { useMayChange } from "../api/people";
import { useStudies } from "../api/queries";
import { type SessionTable, useAddSession, useSessionTable } from "../api/sessions";
import { Copyable, csvLines } from "../parts/Copyable";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { count } from "../parts/text";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { Choices } from "./Choices";
import { nextSort, type SortBy, sorted, TABLE_NAMES, tableRows } from "./order";
import { SessionsPicture } from "./SessionsPicture";
import { Shares } from "./Shares";
import { TypeIn } from "./TypeIn";

export function Sessions() {
  const id = Number(useParams().study);
  const [search, setSearch] = useSearchParams();
  const table = useSessionTable(id, search.get("metric") ?? "");
  return (
    <OfStudy id={id}>
      {(study) => (
        <>
          {table.isPending && <Waiting what="the sessions" />}
          {table.error && (
            <Trouble what="The sessions" error={table.error} again={() => table.refetch()} />
          )}
          {table.data && (
            <Body
              study={study}
              table={table.data}
              choose={(metric) => setSearch(metric ? { metric } : {}, { replace: true })}
            />
          )}
        </>
      )}
    </OfStudy>
  );
}

function Body(props: { study: Study; table: SessionTable; choose: (metric: string) => void }) {
  const { study, table, choose } = props;
  const [by, setBy] = useState<SortBy>("added");
  const [pinned, setPinned] = useState<number[]>([]);
  const [chosen, setChosen] = useState(0);
  const candidates = table.variants.flatMap((_, n) => (n === table.baseline ? [] : [n]));
  const rows = sorted(table.sessions, by, pinned);
  const at = rows[Math.min(chosen, rows.length - 1)];
  const choices = ["", ...table.choices.map((one) => one.key)];
  const place = Math.max(0, choices.indexOf(table.chosen === "deciding" ? "" : table.chosen));
  useKeys("Sessions", [
    {
      keys: "j",
      does: "the next session",
      act: () => setChosen(Math.min(chosen + 1, rows.length - 1)),
    },
    { keys: "k", does: "the session before", act: () => setChosen(Math.max(0, chosen - 1)) },
    {
      keys: "p",
      does: "pin the session, or let it go",
      act: () =>
        at &&
        setPinned((now) =>
          now.includes(at.study) ? now.filter((one) => one !== at.study) : [...now, at.study],
        ),
    },
    {
      keys: "o",
      does: "sort by the next column",
      act: () => setBy((now) => nextSort(now, candidates)),
    },
    {
      keys: "m",
      does: "the next metric",
      act: () => choose(choices[(place + 1) % choices.length] ?? ""),
    },
  ]);
  return (
    <>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,0.8fr)] gap-8">
        <div>
          <p>
            <b>
              {count(table.sessions.length, "session")}, {count(candidates.length, "candidate")}{" "}
              against{" "}
              <VariantName index={table.baseline} name={table.variants[table.baseline] ?? ""} />
            </b>{" "}
            <span className="text-ink-2">
              better to the right · band: too small to matter · sorted {sortName(by, table)}
            </span>
          </p>
          <Choices table={table} choose={choose} />
        </div>
        <p className="text-[16px] leading-snug" aria-live="polite">
          {table.headline}
        </p>
      </div>
      <Copyable
        name={`sessions of ${study.question}`}
        className="mt-2"
        csv={() => csvLines(TABLE_NAMES, tableRows(table))}
      >
        <SessionsPicture table={table} rows={rows} pinned={pinned} chosen={at?.study ?? null} />
      </Copyable>
      <div className="mt-4 grid grid-cols-3 gap-8 border-t border-line pt-3">
        <AsPeopleAsk table={table} />
        <ForWhom table={table} />
        <section>
          <Shares study={study} table={table} />
          <AddSession study={study} />
          <TypeIn study={study} />
        </section>
      </div>
      <p className="mt-3 text-[12px] text-ink-2">
        <kbd>j</kbd> <kbd>k</kbd> session · <kbd>p</kbd> pins · <kbd>o</kbd> sorts · <kbd>m</kbd>{" "}
        metric
      </p>
    </>
  );
}

function sortName(by: SortBy, table: SessionTable): string {
  if (by === "added") return "as they were added";
  return by === "share" ? "by share of a day" : `by ${table.variants[by] ?? ""}`;
}

function AsPeopleAsk(props: { table: SessionTable }) {
  const { table } = props;
  return (
    <section>
      <h2 className="font-semibold">
        As people ask for <span className="font-normal text-ink-2">shown, judged nowhere</span>
      </h2>
      {table.asked_for.length === 0 ? (
        <p className="text-ink-2">The sessions' readings have not one unit: they do not add up.</p>
      ) : (
        <table className="mt-1 w-full">
          <thead>
            <tr className="text-right text-[12px] text-ink-2">
              <th aria-label="variant" />
              {table.asked_for.map((one) => (
                <th key={one.name} scope="col" className="font-normal">
                  {one.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {table.variants.map((name, n) => (
              <tr key={name} className="border-t border-line-2 text-right">
                <th scope="row" className="py-0.5 text-left font-normal">
                  <VariantName index={n} name={name} />
                </th>
                {table.asked_for.map((one) => (
                  <td key={one.name}>{one.readings[n] || "–"}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function ForWhom(props: { table: SessionTable }) {
  const { table } = props;
  return (
    <section>
      <h2 className="font-semibold">
        For whom <span className="font-normal text-ink-2">over all sessions, then one by one</span>
      </h2>
      {table.advice.length === 0 && (
        <p className="text-ink-2">No session has a profile: Decide asks for whom.</p>
      )}
      {table.advice.map((one) => (
        <div key={one.profile} className="border-t border-line-2 py-1">
          <b>{one.profile}</b> {one.overall && <span className="font-semibold">{one.overall}</span>}
          {one.sessions.map((session) => (
            <p key={session.study} className="leading-tight">
              {session.sentence}{" "}
              <Link className="plain text-[12px]" to={`/studies/${session.study}/decide`}>
                {session.title}
              </Link>
            </p>
          ))}
        </div>
      ))}
    </section>
  );
}

function AddSession(props: { study: Study }) {
  return useMayChange() ? <MayAddSession study={props.study} /> : null;
}

function MayAddSession(props: { study: Study }) {
  const { study } = props;
  const add = useAddSession(study.id);
  const navigate = useNavigate();
  const studies = useStudies().data ?? [];
  const names = study.variants.map((one) => one.name).sort();
  const there = new Set(study.session_set.map((one) => one.study));
  const alike = studies.filter(
    (one) =>
      !there.has(one.id) &&
      one.subject === study.subject &&
      [...one.variants].sort().join("\n") === names.join("\n"),
  );
  return (
    <div className="mt-3">
      <button
        type="button"
        className="act"
        disabled={add.isPending}
        onClick={() =>
          add.mutate(null, { onSuccess: (made) => navigate(`/studies/${made.study}/script`) })
        }
      >
        Add a session
      </button>
      {alike.length > 0 && (
        <select
          aria-label="take in a study of the same variants"
          className="field ml-3 w-56"
          value=""
          onChange={(event) => event.target.value && add.mutate(Number(event.target.value))}
        >
          <option value="">or take in a study …</option>
          {alike.map((one) => (
            <option key={one.id} value={one.id}>
              {one.question}
            </option>
          ))}
        </select>
      )}
      {add.error && (
        <p role="alert" className="text-behind">
          {add.error.message}
        </p>
      )}
    </div>
  );
}
