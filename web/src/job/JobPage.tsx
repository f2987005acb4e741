/** What it means for you: the difference over a day, a week or a whole job, with what is assumed. */
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Study } from "../api/client";
import { type JobAnswer, useJob, useKeepJob, useKeptJobs } from "../api/jobs";
import { useMayChange } from "../api/people";
import { useSessionTable } from "../api/sessions";
import { Trouble } from "../parts/Trouble";
import { significant, THIN } from "../parts/text";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { firstJob, type JobAsked, type JobKind, jobFrom, PERIODS, sameJob, typed } from "./jobs";

export function JobPage() {
  const id = Number(useParams().study);
  return <OfStudy id={id}>{(study) => <Body study={study} />}</OfStudy>;
}

function Body(props: { study: Study }) {
  const { study } = props;
  const [search, setSearch] = useSearchParams();
  const candidates = study.variants.map((one) => one.position).filter((n) => n !== study.baseline);
  const job = jobFrom(search.get("job")) ?? firstJob(study.session_set, candidates[0] ?? 0);
  const set = (part: Partial<JobAsked>) =>
    setSearch({ job: JSON.stringify({ ...job, ...part }) }, { replace: true });
  const found = useJob(study.id, job);
  const table = useSessionTable(study.id, "");
  const change = (at: number, part: Partial<JobKind>) =>
    set({ kinds: job.kinds.map((one, n) => (n === at ? { ...one, ...part } : one)) });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_400px] gap-8">
      <div>
        <h1 className="text-[20px] font-semibold">What it means for you</h1>
        <p className="mt-1 text-ink-2">
          Say how much of each kind of work there is. What was not measured is refused, not guessed.
        </p>
        <p className="mt-3 leading-loose">
          With{" "}
          <select
            aria-label="candidate"
            className="field"
            value={job.candidate}
            onChange={(event) => set({ candidate: Number(event.target.value) })}
          >
            {candidates.map((n) => (
              <option key={n} value={n}>
                {study.variants[n]?.name}
              </option>
            ))}
          </select>{" "}
          in place of{" "}
          <VariantName index={study.baseline} name={study.variants[study.baseline]?.name ?? ""} />,
          by{" "}
          <select
            aria-label="metric"
            className="field"
            value={job.metric}
            onChange={(event) => set({ metric: event.target.value })}
          >
            <option value="">what decides each session</option>
            {table.data?.choices.map((one) => (
              <option key={one.key} value={one.key}>
                {one.label}
              </option>
            ))}
          </select>
          , over{" "}
          <select
            aria-label="period"
            className="field"
            value={job.period}
            onChange={(event) => set({ period: event.target.value })}
          >
            {PERIODS.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </p>
        <Kinds study={study} kinds={job.kinds} change={change} set={(kinds) => set({ kinds })} />
        <p className="mt-4 leading-loose">
          All work of {job.period} takes{" "}
          <Amount
            label="hours of all work"
            value={job.whole / 3600}
            keep={(hours) => set({ whole: hours * 3600 })}
          />{" "}
          hours <span className="text-ink-2">(0: not said)</span>; less than{" "}
          <Amount
            label="seconds that matter"
            value={job.threshold ?? 0}
            keep={(threshold) => set({ threshold })}
          />{" "}
          s of it would not matter.
        </p>
      </div>
      <aside aria-live="polite">
        {found.error && <Trouble what="This job" error={found.error} />}
        {found.data && !found.error && (
          <>
            <Result found={found.data} job={job} />
            <Keep study={study.id} job={job} />
          </>
        )}
        <KeptJobs study={study.id} open={(one) => setSearch({ job: JSON.stringify(one) })} />
      </aside>
    </div>
  );
}

function Kinds(props: {
  study: Study;
  kinds: JobKind[];
  change: (at: number, part: Partial<JobKind>) => void;
  set: (kinds: JobKind[]) => void;
}) {
  const { study, kinds } = props;
  return (
    <table className="mt-3 w-full">
      <thead>
        <tr className="border-b border-line text-left text-[12px] text-ink-2">
          <th className="py-1 font-normal">kind of work</th>
          <th className="font-normal">how many</th>
          <th className="font-normal">affected, %</th>
          <th className="font-normal">measured by</th>
          <th aria-label="acts" />
        </tr>
      </thead>
      <tbody>
        {kinds.map((kind, n) => (
          <tr key={n} className="border-b border-line-2">
            <td className="py-1 pr-2">
              <input
                aria-label={`name of kind ${n + 1}`}
                className="field w-full"
                maxLength={80}
                value={kind.name}
                onChange={(event) => props.change(n, { name: event.target.value })}
              />
            </td>
            <td>
              <Amount
                label={`how many of ${kind.name}`}
                value={kind.items}
                keep={(items) => props.change(n, { items })}
              />
            </td>
            <td>
              <Amount
                label={`affected share of ${kind.name}`}
                value={kind.affected ?? 100}
                keep={(affected) => props.change(n, { affected: Math.min(100, affected) })}
              />
            </td>
            <td>
              {study.session_set.map((one) => (
                <label key={one.study} className="block leading-tight">
                  <input
                    type="checkbox"
                    checked={kind.sessions.includes(one.study)}
                    onChange={(event) =>
                      props.change(n, {
                        sessions: event.target.checked
                          ? [...kind.sessions, one.study]
                          : kind.sessions.filter((other) => other !== one.study),
                      })
                    }
                  />{" "}
                  {one.title}
                </label>
              ))}
            </td>
            <td>
              <button
                type="button"
                className="act"
                aria-label={`take ${kind.name} out`}
                onClick={() => props.set(kinds.filter((_, other) => other !== n))}
              >
                out
              </button>
            </td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr>
          <td colSpan={5} className="pt-1">
            <button
              type="button"
              className="act"
              onClick={() =>
                props.set([
                  ...kinds,
                  { name: "another kind", sessions: [], items: 1, affected: 100 },
                ])
              }
            >
              Another kind
            </button>
          </td>
        </tr>
      </tfoot>
    </table>
  );
}

/** A number that is kept when it is one, and is shown as it was typed until then. */
function Amount(props: { label: string; value: number; keep: (value: number) => void }) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? String(Number(props.value.toFixed(3)));
  return (
    <input
      aria-label={props.label}
      className="field w-20 text-right"
      inputMode="decimal"
      value={shown}
      aria-invalid={typed(shown) === null}
      onChange={(event) => {
        setText(event.target.value);
        const value = typed(event.target.value);
        if (value !== null) props.keep(value);
      }}
      onBlur={() => setText(null)}
    />
  );
}

function Result(props: { found: JobAnswer; job: JobAsked }) {
  const { found, job } = props;
  return (
    <>
      <p className="text-[19px] leading-snug">{found.sentence}</p>
      <p className="mt-2 text-ink-2">
        What was measured of it takes {found.before_text} with the baseline
        {found.before > 0 && (
          <>
            : {significant((100 * Math.abs(found.change)) / found.before, 2)}
            {THIN}% {found.change < 0 ? "less" : "more"}
          </>
        )}
        .
      </p>
      {(job.threshold ?? 0) > 0 && (
        <p className="mt-2">
          {found.matters_from === null
            ? `Even with all of it affected it stays below ${significant(job.threshold ?? 0)} s: it does not matter.`
            : `It matters from ${significant(100 * found.matters_from, 2)} % of affected items on.`}
        </p>
      )}
      <h2 className="mt-4 font-semibold">Taken for granted</h2>
      <ul className="list-disc pl-5">
        {found.assumptions.map((one) => (
          <li key={one}>{one}</li>
        ))}
      </ul>
      <p className="mt-2 text-[12px] text-ink-2">
        The range holds what the runs leave open, and how the sessions of one kind differ.
      </p>
    </>
  );
}

/** Keep the job as it stands, so that the report says what it comes to. */
function Keep(props: { study: number; job: JobAsked }) {
  const keep = useKeepJob(props.study);
  const kept = useKeptJobs(props.study);
  const there = kept.data?.some((one) => sameJob(one.job, props.job));
  if (!useMayChange()) return null;
  if (there)
    return (
      <p className="mt-4 text-ink-2">
        Kept with the study: its{" "}
        <Link className="plain" to={`/studies/${props.study}/say`}>
          report
        </Link>{" "}
        says what it comes to.
      </p>
    );
  return (
    <p className="mt-4">
      <button
        type="button"
        className="act"
        disabled={keep.isPending}
        onClick={() => keep.mutate({ keep: props.job })}
      >
        Keep it for the report
      </button>
      {keep.error && <Trouble what="The job" error={keep.error} />}
    </p>
  );
}

function KeptJobs(props: { study: number; open: (job: JobAsked) => void }) {
  const kept = useKeptJobs(props.study);
  const keep = useKeepJob(props.study);
  const mayChange = useMayChange();
  if (!kept.data?.length) return null;
  return (
    <section aria-label="kept jobs" className="mt-6">
      <h2 className="font-semibold">Kept with the study</h2>
      <ul>
        {kept.data.map((one) => (
          <li key={one.id} className="border-b border-line-2 py-1.5">
            {one.answer?.sentence ?? `It cannot be worked out: ${one.problem}.`}
            <span className="block text-[12.5px] text-ink-2">
              kept by {one.by}
              <button
                type="button"
                className="act mx-3"
                onClick={() => props.open(one.job as JobAsked)}
              >
                open
              </button>
              {mayChange && (
                <button
                  type="button"
                  className="act"
                  disabled={keep.isPending}
                  onClick={() => keep.mutate({ letGo: one.id })}
                >
                  let it go
                </button>
              )}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
