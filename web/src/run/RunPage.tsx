/** A run: steps, timings and lanes on one time axis, and the readings of any stretch. */
import { useCallback, useMemo, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { RunDetail } from "../api/client";
import { useRun, useStretch, useTrace } from "../api/queries";
import { Header } from "../app/Header";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { VariantName } from "../parts/variants";
import { duration, moment } from "../parts/words";
import { Lanes } from "./Lanes";
import { nearest } from "./nearest";
import { StretchReadings } from "./StretchReadings";

/** A stretch of a run's time, in seconds. */
export interface Span {
  from: number;
  to: number;
}

export function RunPage() {
  const id = Number(useParams().run);
  const run = useRun(id);
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>
        {run.data && (
          <>
            {run.data.subject} <span className="px-1">/</span>{" "}
            <Link to={`/studies/${run.data.study}`} className="font-semibold text-head-ink">
              {run.data.question}
            </Link>
          </>
        )}
      </Header>
      {run.isPending && <Waiting what="the run" />}
      {run.error && <Trouble what="This run" error={run.error} again={() => run.refetch()} />}
      {run.data && <RunBody key={id} run={run.data} />}
    </div>
  );
}

function RunBody(props: { run: RunDetail }) {
  const { run } = props;
  const id = run.run.id;
  const [search, setSearch] = useSearchParams();
  const end = Math.max(1, ...run.stretches.map((s) => s.end_s));
  const steps = useMemo(() => run.stretches.filter((s) => s.kind === "step"), [run.stretches]);
  const number = (name: string, fallback: number) => {
    const value = Number(search.get(name) ?? Number.NaN);
    return Number.isFinite(value) ? value : fallback;
  };
  const first = steps.find((s) =>
    run.stretches.some((f) => f.kind === "frames" && f.path[0] === s.path[0]),
  );
  const start = first ?? steps[0];
  const chosen: Span = {
    from: number("from", start?.start_s ?? 0),
    to: number("to", start?.end_s ?? end),
  };
  const view: Span = { from: number("left", 0), to: number("right", end * 1.01) };
  const [cursor, setCursor] = useState<number | null>(null);

  const set = useCallback(
    (values: Record<string, number | null>) =>
      setSearch(
        (now) => {
          for (const [name, value] of Object.entries(values))
            if (value === null) now.delete(name);
            else now.set(name, value.toFixed(4));
          return now;
        },
        { replace: true },
      ),
    [setSearch],
  );
  const choose = useCallback((span: Span) => set({ from: span.from, to: span.to }), [set]);
  const look = useCallback(
    (span: Span | null) => set({ left: span?.from ?? null, right: span?.to ?? null }),
    [set],
  );
  const trace = useTrace(
    id,
    view.from > 0 ? view.from : undefined,
    search.get("right") ? view.to : undefined,
  );
  const readings = useStretch(id, chosen.from, chosen.to);
  useRunKeys(run, steps, chosen, view, readings.data?.spikes ?? [], choose, look, setCursor);
  const frames = trace.data?.frames.at_s ?? [];
  const toFrame = (by: number) => {
    const here = nearest(frames, cursor ?? chosen.from);
    const next = frames[Math.max(0, Math.min(frames.length - 1, here + by))];
    if (next !== undefined) setCursor(next);
  };
  useKeys("Frames", [
    { keys: ",", does: "previous frame", act: () => toFrame(-1) },
    { keys: ".", does: "next frame", act: () => toFrame(1) },
  ]);

  return (
    <>
      <RunHead run={run} />
      {run.run.outcome && run.run.outcome !== "finished" && (
        <p role="alert" className="border-b border-line bg-behind-ground px-6 py-2 text-behind">
          <b>{run.run.outcome}</b>: {run.run.detail}. Everything measured until then is kept; this
          run is counted, but not averaged with those that finished.
        </p>
      )}
      {run.run.outcome === "finished" && run.run.detail && (
        <p role="status" className="border-b border-line px-6 py-2 text-ink-2">
          {run.run.detail}
        </p>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_350px]">
        <div tabIndex={0} className="min-h-0 overflow-auto px-5 pt-2 pb-6">
          <Pictures run={run} />
          {trace.error && <Trouble what="The trace" error={trace.error} />}
          {trace.data && run.stretches.length > 0 && (
            <Lanes
              run={run}
              trace={trace.data}
              view={view}
              chosen={chosen}
              cursor={cursor}
              choose={choose}
              look={look}
              point={setCursor}
            />
          )}
          {run.stretches.length === 0 && run.run.state !== "queued" && (
            <p className="py-6 text-ink-2">
              {run.run.state === "running"
                ? "The run is under way. Its record appears here as its first chunks arrive."
                : "Nothing was recorded in this run."}
            </p>
          )}
        </div>
        <aside
          tabIndex={0}
          className="min-h-0 overflow-auto border-l border-line bg-card px-5 py-3"
        >
          <StretchReadings
            run={run}
            span={chosen}
            readings={readings.data}
            error={readings.error}
            point={setCursor}
          />
        </aside>
      </div>
    </>
  );
}

/** Pictures kept with the run: how the screen stood at its end, what was not as expected. */
function Pictures(props: { run: RunDetail }) {
  const { run, pictures } = props.run;
  if (!pictures.length) return null;
  return (
    <section
      aria-label="pictures kept"
      className="flex flex-wrap gap-4 border-b border-line-2 py-2"
    >
      {pictures.map((picture) => (
        <figure key={picture.name} className="w-[240px]">
          <a href={`/api/runs/${run.id}/pictures/${picture.name}`} target="_blank" rel="noreferrer">
            <img
              src={`/api/runs/${run.id}/pictures/${picture.name}`}
              alt={picture.what}
              className="max-h-[150px] border border-line"
            />
          </a>
          <figcaption className="text-[12px] text-ink-2">
            {picture.what}, {duration(picture.at_s)}
          </figcaption>
        </figure>
      ))}
    </section>
  );
}

function RunHead(props: { run: RunDetail }) {
  const { run } = props;
  const place = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth"];
  const many = place[run.variants - 1];
  const count = ["one", "two", "three", "four", "five", "six", "seven", "eight"][run.variants - 1];
  return (
    <div className="flex h-[45px] shrink-0 items-center gap-3 border-b border-line bg-brass-soft px-6">
      <h1 className="text-[17px] font-semibold">Run {run.run.id}</h1>
      <VariantName index={run.run.variant} name={run.variant_name} />
      <span>
        {run.run.cold ? "cold round" : `round ${run.run.round - run.cold_rounds + 1}`}
        {run.run.level && `, at ${run.run.level}`}
        {many && !run.run.level && place[run.run.place] && `, ${place[run.run.place]} of ${count}`}
      </span>
      <span className="flex-1 text-ink-2">
        {run.run.rig ?? "no rig yet"} · {run.run.cold ? "cold" : "warm"} · session v
        {run.script_version} · {moment(run.run.started ?? null)}
      </span>
      <span className="text-ink-2">same round:</span>
      {run.beside.map((other) => (
        <Link key={other} to={`/runs/${other}`} className="plain">
          run {other}
        </Link>
      ))}
      <Link to={`/studies/${run.study}/read`} className="button-quiet py-1">
        Read the study
      </Link>
    </div>
  );
}

function useRunKeys(
  run: RunDetail,
  steps: RunDetail["stretches"],
  chosen: Span,
  view: Span,
  spikes: { at_s: number }[],
  choose: (span: Span) => void,
  look: (span: Span | null) => void,
  point: (at: number) => void,
) {
  const navigate = useNavigate();
  const [spike, setSpike] = useState(-1);
  const place = steps.findIndex((s) => Math.abs(s.start_s - chosen.from) < 1e-3);
  const step = (by: number) => {
    const next = steps[Math.max(0, Math.min(steps.length - 1, place + by))];
    if (next) choose({ from: next.start_s, to: next.end_s });
  };
  const toSpike = (by: number) => {
    const inOrder = [...spikes].sort((a, b) => a.at_s - b.at_s);
    const next = (spike + by + inOrder.length) % Math.max(1, inOrder.length);
    setSpike(next);
    if (inOrder[next]) point(inOrder[next].at_s);
  };
  const zoom = (factor: number) => {
    const middle = (view.from + view.to) / 2;
    const half = ((view.to - view.from) / 2) * factor;
    look({ from: Math.max(0, middle - half), to: middle + half });
  };
  const pan = (share: number) => {
    const by = Math.max((view.to - view.from) * share, -view.from);
    look({ from: view.from + by, to: view.to + by });
  };
  useKeys("Run", [
    { keys: "[", does: "previous step", act: () => step(-1) },
    { keys: "]", does: "next step", act: () => step(1) },
    { keys: "n", does: "next spike", act: () => toSpike(1) },
    { keys: "N", does: "previous spike", act: () => toSpike(-1) },
    { keys: "+", does: "zoom in", act: () => zoom(0.5) },
    { keys: "-", does: "zoom out", act: () => zoom(2) },
    { keys: "ArrowLeft", does: "earlier", act: () => pan(-0.25) },
    { keys: "ArrowRight", does: "later", act: () => pan(0.25) },
    { keys: "f", does: "zoom to the chosen stretch", act: () => look(chosen) },
    { keys: "0", does: "the whole run", act: () => look(null) },
    {
      keys: "Escape",
      does: "back to the study",
      act: () => navigate(`/studies/${run.study}/read`),
    },
  ]);
}
