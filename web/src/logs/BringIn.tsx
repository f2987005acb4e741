/** Bring in a log: drop a file, see how it is understood, correct that, keep it as runs. */

import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useEffectEvent, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Log, LogMapping, Study } from "../api/client";
import {
  bring,
  useKeepLogs,
  useLogs,
  useLogsOf,
  useMappings,
  useReadThrough,
  useThrowAway,
} from "../api/logs";
import { keys } from "../api/queries";
import { Answers } from "../parts/Answers";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, moment, significant, THIN } from "../parts/text";
import { Looks, VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { alike, PASTED, sittingsOf } from "./becoming";
import { Keeping } from "./Keeping";
import { KeptApart } from "./KeptApart";
import { Understood } from "./Understood";

export function BringIn() {
  const id = Number(useParams().study);
  const [search] = useSearchParams();
  const chosen = (search.get("log") ?? "").split(",").map(Number).filter(Boolean);
  return (
    <OfStudy id={id}>
      {(study) =>
        chosen.length ? (
          <ChosenLogs key={chosen.join()} study={study} ids={chosen} />
        ) : (
          <Choose study={study} />
        )
      }
    </OfStudy>
  );
}

const size = (bytes: number) =>
  bytes < 1024
    ? `${bytes}${THIN}B`
    : bytes < 1e6
      ? `${significant(bytes / 1024)}${THIN}KiB`
      : `${significant(bytes / 2 ** 20)}${THIN}MiB`;

function Choose(props: { study: Study }) {
  const { study } = props;
  const navigate = useNavigate();
  const waiting = useLogs(study.id);
  const throwAway = useThrowAway(study.id);
  const file = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number | null>(null);
  const [troubles, setTroubles] = useState<string[]>([]);
  const [taken, setTaken] = useState<number[]>([]);
  const [over, setOver] = useState(false);
  const on = (logs: number[]) => navigate(`/studies/${study.id}/bring-in?log=${logs.join()}`);
  const take = async (given: Iterable<File> | null) => {
    const files = [...(given ?? [])];
    if (!files.length) return;
    const refused: string[] = [];
    const logs: number[] = [];
    setTroubles([]);
    for (const [place, one] of files.entries()) {
      try {
        const told = (part: number) => setShare((place + Math.min(part, 0.999)) / files.length);
        told(0);
        logs.push((await bring(study.id, one, told)).id);
      } catch (error) {
        refused.push((error as Error).message);
      }
    }
    setShare(null);
    setTroubles(refused);
    setTaken(logs);
    if (logs.length && !refused.length) on(logs);
    else waiting.refetch();
  };
  const paste = useEffectEvent((event: ClipboardEvent) => {
    const into = event.target instanceof Element && event.target.closest("input, textarea");
    if (into || share !== null) return;
    take(pastedFiles(event.clipboardData));
  });
  useEffect(() => {
    const heard = (event: ClipboardEvent) => paste(event);
    window.addEventListener("paste", heard);
    return () => window.removeEventListener("paste", heard);
  }, []);
  return (
    <div className="grid items-start gap-x-10 min-[1180px]:grid-cols-[minmax(0,760px)_minmax(0,420px)]">
      <div>
        <h1 className="text-[20px] font-semibold">Bring in a log</h1>
        <p className="mt-1 max-w-[760px] text-ink-2">
          What you noted, or another instrument wrote: results, timings, frame times, counters, one
          long log with stretches marked on it; as lines, text in columns, CSV, JSON, a spreadsheet,
          a web page, XML, YAML or Parquet, packed with gzip or zstd if you like, up to
          {THIN}1{THIN}GiB. Or a run that went out from here. Nothing of it comes into the study
          before you have seen how it is understood and said so.
        </p>
        <section
          aria-label="drop a file here"
          className={`mt-4 max-w-[760px] border-2 border-dashed p-8 text-center ${
            over ? "border-brass bg-brass-soft" : "border-line bg-card"
          }`}
          onDragOver={(event) => {
            event.preventDefault();
            setOver(true);
          }}
          onDragLeave={() => setOver(false)}
          onDrop={(event) => {
            event.preventDefault();
            setOver(false);
            take(event.dataTransfer.files);
          }}
        >
          <input
            ref={file}
            type="file"
            multiple
            aria-label="log files"
            className="hidden"
            onChange={(event) => take(event.target.files)}
          />
          {share === null ? (
            <>
              <button type="button" className="button" onClick={() => file.current?.click()}>
                Choose files
              </button>
              <span className="ml-3 text-ink-2">
                or drop them here: one, or many that are alike, such as one a run.
                <br />
                Or copy a table where you keep it, and paste it here with Ctrl V.
              </span>
            </>
          ) : (
            <p role="status">
              sending and looking, {Math.round(share * 100)}
              {THIN}%
              <progress className="ml-3 align-middle" value={share} max={1} aria-label="sent" />
            </p>
          )}
        </section>
        {troubles.length > 0 && (
          <div role="alert" className="mt-3 max-w-[760px] border-l-4 border-behind bg-card p-3">
            {troubles.map((one) => (
              <p key={one}>{one} Nothing was kept of it.</p>
            ))}
            {taken.length > 0 && (
              <button type="button" className="act mt-1" onClick={() => on(taken)}>
                go on with {count(taken.length, "other file")}
              </button>
            )}
          </div>
        )}
        <Brought study={study} />
        {(waiting.data ?? []).length > 0 && (
          <section aria-label="waiting" className="mt-6 max-w-[760px]">
            <h2 className="font-semibold">Brought and not yet kept</h2>
            {waiting.data?.map((log) => (
              <p key={log.id} className="flex items-baseline gap-3 border-b border-line-2 py-1.5">
                <Link to={`/studies/${study.id}/bring-in?log=${log.id}`} className="plain">
                  {log.name}
                </Link>
                <span className="text-ink-2">
                  {size(log.size)} · {moment(log.created)} · {log.problem || STATES[log.state]}
                </span>
                <button
                  type="button"
                  className="ml-auto text-ink-2 hover:text-behind"
                  onClick={() => throwAway.mutate(log.id)}
                >
                  throw away
                </button>
              </p>
            ))}
          </section>
        )}
      </div>
      <Examples />
    </div>
  );
}

/** What was copied elsewhere, as files: files as they are, text as one. */
function pastedFiles(copied: DataTransfer | null): File[] {
  if (copied?.files.length) return [...copied.files];
  const text = copied?.getData("text/plain") ?? "";
  return text.trim() ? [new File([text], PASTED, { type: "text/plain" })] : [];
}

/** The runs of this study that came from logs, and the mappings that are kept. */
function Brought(props: { study: Study }) {
  const { study } = props;
  const kept = useMappings().data?.kept ?? [];
  const runs = study.runs.filter((run) => run.origin === "brought in").reverse();
  if (!runs.length && !kept.length) return null;
  return (
    <section aria-label="brought in" className="mt-6 max-w-[760px]">
      {runs.length > 0 && (
        <>
          <h2 className="font-semibold">Brought into this study</h2>
          <KeptApart study={study} />
          {sittingsOf(runs).map((some) => (
            <div key={some.key} className="border-b border-line-2 py-1.5">
              <p className="text-ink-2">
                {moment(some.at)} ·{" "}
                {some.reason ? `compared: ${some.reason}` : "kept apart, not compared"}
              </p>
              {some.variants.map(([variant, of]) => (
                <p key={variant} className="flex flex-wrap items-baseline gap-x-3">
                  <VariantName index={variant} name={study.variants[variant]?.name ?? ""} />
                  {of.map((run) => (
                    <Link key={run} to={`/runs/${run}`} className="plain">
                      run {run}
                    </Link>
                  ))}
                </p>
              ))}
            </div>
          ))}
        </>
      )}
      {kept.length > 0 && (
        <p className="mt-3 text-ink-2">
          Kept ways of reading a file, offered again for one with the same columns:{" "}
          {kept.map((one) => one.name).join(", ")}.
        </p>
      )}
    </section>
  );
}

/** What is often brought in, as it is kept, and what it becomes. */
const EXAMPLES: { title: string; text: string; becomes: [string, string][] }[] = [
  {
    title: "What you noted by hand",
    text: `Launch times

4.1: 3.21, 3.18, 3.30 s
4.2: 2.71, 2.64, 2.80 s`,
    becomes: [
      ["4.1, 4.2", "variants, three runs of each"],
      ["Launch", "what was timed in each run"],
    ],
  },
  {
    title: "What an instrument wrote",
    text: `time_s,frame_ms,rss_bytes,marker
0.000,16.7,104857600,launch
0.017,16.6,104857600,launch
0.033,33.4,105906176,scroll`,
    becomes: [
      ["time_s", "the instants of the run, from its start"],
      ["frame_ms", "frame times: rate, 1 % low, stutter"],
      ["rss_bytes", "a counter, memory: peak, growth"],
      ["marker", "steps of the run, moments in it, or runs"],
    ],
  },
];

/** What small files become. */
function Examples() {
  return (
    <section aria-label="example" className="mt-6 min-[1180px]:mt-1">
      {EXAMPLES.map(({ title, text, becomes }) => (
        <div key={title} className="mb-5">
          <h2 className="font-semibold">{title}</h2>
          <pre className="mt-1 border border-line bg-card px-3 py-2 font-mono text-[12px] leading-relaxed">
            {text}
          </pre>
          <dl className="grid grid-cols-[90px_1fr]">
            {becomes.map(([column, of]) => (
              <div key={column} className="contents">
                <dt className="border-b border-line-2 py-1 font-mono text-[12px]">{column}</dt>
                <dd className="border-b border-line-2 py-1">{of}</dd>
              </div>
            ))}
          </dl>
        </div>
      ))}
      <p className="text-ink-2">
        Names, units and layout are proposed, and you correct them before anything is kept. Runs
        from logs stand beside the measured ones and are compared only once somebody lets them in,
        with a reason that is shown from then on.
      </p>
    </section>
  );
}

const STATES: Record<Log["state"], string> = {
  new: "to be looked at",
  reading: "is read through",
  read: "has been read through",
  keeping: "becomes runs",
  kept: "has become runs",
  failed: "could not be read",
};

function ChosenLogs(props: { study: Study; ids: number[] }) {
  const logs = useLogsOf(props.ids);
  if (logs.error) return <Trouble what="This log" error={logs.error} />;
  const [first, ...others] = logs.data ?? [];
  if (!first) return <Waiting what="the log" />;
  const same = others.filter((one) => alike(one.mapping, first.mapping));
  const unlike = others.filter((one) => !same.includes(one));
  return <Steps study={props.study} first={first} logs={[first, ...same]} unlike={unlike} />;
}

/** How a log is read as the first of them is: what stands before its own rows is its own. */
function mappingOf(log: Log, first: Log, mapping: LogMapping): LogMapping {
  if (log === first) return mapping;
  const header = mapping.header === first.mapping.header ? log.mapping.header : mapping.header;
  return { ...mapping, header, encoding: log.mapping.encoding };
}

/** The three steps on one page: how it is understood, what is in all of it, what becomes of it. */
function Steps(props: { study: Study; first: Log; logs: Log[]; unlike: Log[] }) {
  const { study, first, logs } = props;
  const [mapping, setMapping] = useState<LogMapping>(first.mapping);
  const read = useReadThrough();
  const keep = useKeepLogs();
  const many = logs.length > 1;
  const log = first;
  const changed = JSON.stringify(mapping) !== JSON.stringify(first.mapping);
  const whole = logs.every((one) => one.state === "read" || one.state === "kept") && !changed;
  const states = new Set(logs.map((one) => one.state));
  const failed = logs.filter((one) => one.state === "failed");
  const total = logs.reduce((sum, one) => sum + one.size, 0);
  return (
    <>
      <div className="flex items-baseline gap-3">
        <h1 className="text-[20px] font-semibold">{first.name}</h1>
        <span className="text-ink-2">
          {many && `and ${count(logs.length - 1, "more file")} with the same columns, in all `}
          {size(total)}
        </span>
        <Link to={`/studies/${study.id}/bring-in`} className="plain ml-auto">
          another file
        </Link>
      </div>
      {props.unlike.length > 0 && (
        <p role="alert" className="mt-2 max-w-[900px] border-l-4 border-behind bg-card p-3">
          {count(props.unlike.length, "file has", "files have")} other columns and{" "}
          {props.unlike.length === 1 ? "waits" : "wait"} to be brought in apart:{" "}
          {props.unlike.map((one) => (
            <Link
              key={one.id}
              className="plain mr-2"
              to={`/studies/${study.id}/bring-in?log=${one.id}`}
            >
              {one.name}
            </Link>
          ))}
        </p>
      )}
      {states.has("kept") && !states.has("keeping") && !keep.isPending ? (
        <Kept logs={logs} study={study} />
      ) : (
        <>
          {log.mapping.record ? (
            <p className="mt-2 max-w-[760px]">
              This is a run that went out from here: its steps, timings, frames, counters and the
              facts of its machine come in unchanged.
            </p>
          ) : (
            <Understood log={log} mapping={mapping} change={setMapping} />
          )}
          {!changed &&
            failed.map((one) => (
              <p key={one.id} role="alert" className="mt-3 border-l-4 border-behind bg-card p-3">
                {many ? `${one.name} could` : "It could"} not be read: {one.problem}. Nothing was
                kept of it.
              </p>
            ))}
          {read.error && (
            <p role="alert" className="mt-3 text-behind">
              {read.error.message}
            </p>
          )}
          {!whole && (
            <p className="mt-4 flex items-center gap-3">
              <button
                type="button"
                className="button"
                disabled={read.isPending || states.has("reading")}
                onClick={() =>
                  read.mutate(logs.map((one) => [one.id, mappingOf(one, first, mapping)]))
                }
              >
                {many ? `Read all ${logs.length} files` : "Read the whole file"}
              </button>
              <span role="status" className="text-ink-2">
                {states.has("reading") || read.isPending
                  ? `reading all of ${many ? "them" : "it"} …`
                  : `to see what is in all of ${many ? "them" : "it"}; nothing is kept yet`}
              </span>
            </p>
          )}
          {(whole || states.has("keeping")) && <Keeping study={study} logs={logs} keep={keep} />}
        </>
      )}
    </>
  );
}

/** What was kept of logs, and the answer that it gives: whoever brought it in came for that. */
function Kept(props: { logs: Log[]; study: Study }) {
  const { study } = props;
  const left = props.logs.filter((log) => log.state !== "kept");
  const runs = props.logs.flatMap((log) => (log.summary as { runs?: number[] }).runs ?? []);
  const queries = useQueryClient();
  useEffect(() => {
    void queries.invalidateQueries({ queryKey: keys.study(study.id) });
  }, [queries, study.id]);
  const names = study.variants.map((variant) => variant.name);
  return (
    <section aria-label="kept" className="mt-4 max-w-[860px]">
      {study.answers.length > 0 && (
        <div className="mb-4 border-l-4 border-brass bg-card px-4 py-3">
          <Looks baseline={study.baseline}>
            <Answers answers={study.answers} variants={names} />
          </Looks>
          <p className="mt-1 text-ink-2">against {names[study.baseline]}</p>
          <p className="mt-3 flex gap-3">
            <Link to={`/studies/${study.id}/decide`} className="button">
              See what differs
            </Link>
            <Link to={`/studies/${study.id}/say`} className="button-quiet">
              Write a report
            </Link>
          </p>
        </div>
      )}
      <p>
        {props.logs.length > 1 ? "They have" : "It has"} become{" "}
        {runs.map((run, n) => (
          <span key={run}>
            {n > 0 && ", "}
            <Link className="plain" to={`/runs/${run}`}>
              run {run}
            </Link>
          </span>
        ))}
        .
      </p>
      {left.length > 0 && (
        <p className="mt-1">
          Left where they are, to be brought in or thrown away:{" "}
          {left.map((one) => one.name).join(", ")}.
        </p>
      )}
      <KeptApart study={props.study} among={runs} />
      <p className="mt-3">
        <Link to={`/studies/${props.study.id}/read`} className="button-quiet">
          Read the study
        </Link>
      </p>
    </section>
  );
}
