/** Bring in a log: drop a file, see how it is understood, correct that, keep it as runs. */

import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Log, LogMapping, Study } from "../api/client";
import { useKeepLogs, useLogsOf, useReadThrough } from "../api/logs";
import { keys } from "../api/queries";
import { Trouble, Waiting } from "../parts/Trouble";
import { bytes, count } from "../parts/text";
import { OfStudy } from "../study/OfStudy";
import { alike } from "./becoming";
import { Choose } from "./Choosing";
import { Keeping } from "./Keeping";
import { KeptApart } from "./KeptApart";
import { Understood } from "./Understood";
import { WhatItAnswers } from "./WhatItAnswers";

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
          {bytes(total)}
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
  return (
    <section aria-label="kept" className="mt-4 max-w-[860px]">
      <WhatItAnswers study={study} />
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
