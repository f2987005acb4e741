/** What is brought in: files dropped, chosen or pasted; what was brought before, and what may be. */

import { useEffect, useEffectEvent, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Log, Study } from "../api/client";
import { bring, useLogs, useMappings, useThrowAway } from "../api/logs";
import { BringFilms, isFilm } from "../films/BringFilms";
import { bytes, count, moment, THIN } from "../parts/text";
import { VariantName } from "../parts/variants";
import { PASTED, sittingsOf } from "./becoming";
import { KeptApart } from "./KeptApart";

export function Choose(props: { study: Study }) {
  const { study } = props;
  const navigate = useNavigate();
  const waiting = useLogs(study.id);
  const throwAway = useThrowAway(study.id);
  const file = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number | null>(null);
  const [troubles, setTroubles] = useState<string[]>([]);
  const [taken, setTaken] = useState<number[]>([]);
  const [over, setOver] = useState(false);
  const [films, setFilms] = useState<File[]>([]);
  const on = (logs: number[]) => navigate(`/studies/${study.id}/bring-in?log=${logs.join()}`);
  const take = async (given: Iterable<File> | null) => {
    const files = [...(given ?? [])];
    if (!files.length) return;
    const shown = files.filter(isFilm);
    setFilms(shown);
    if (shown.length) {
      const others = files.filter((one) => !shown.includes(one));
      setTroubles(others.map((one) => `“${one.name}” is no film and is to be brought in apart.`));
      return;
    }
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
        <h1 className="text-[20px] font-semibold">Bring in what was measured</h1>
        <p className="mt-1 max-w-[760px] text-ink-2">
          What you noted, or another instrument wrote: results, timings, frame times, counters, one
          long log with stretches marked on it; as lines, text in columns, CSV, JSON, a spreadsheet,
          a web page, XML, YAML or Parquet, packed with gzip or zstd if you like, up to
          {THIN}1{THIN}GiB. Or films of the screen: MP4, WebM, MKV or MOV. Or a run that went out
          from here. Nothing of it comes into the study before you have seen how it is understood
          and said so.
        </p>
        {films.length > 0 ? (
          <BringFilms
            key={films.map((one) => one.name).join()}
            study={study}
            files={films}
            drop={() => setFilms([])}
          />
        ) : (
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
        )}
        {troubles.length > 0 && (
          <div role="alert" className="mt-3 max-w-[760px] border-l-4 border-behind bg-card p-3">
            {troubles.map((one) => (
              <p key={one}>{one.replace(/[^.]$/, "$&.")} Nothing was kept of it.</p>
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
                  {bytes(log.size)} · {moment(log.created)} · {log.problem || STATES[log.state]}
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
