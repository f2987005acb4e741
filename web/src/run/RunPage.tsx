/** A run, alone or beside others: lanes on one time axis, and the readings of any stretch. */
import { useCallback, useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import type { Finding, RunDetail } from "../api/client";
import { useFindings, useRun, useStretch } from "../api/runs";
import { Header } from "../parts/Header";
import { Trouble, Waiting } from "../parts/Trouble";
import { counterpart } from "./aligned";
import { AddRun, Together } from "./Beside";
import { Findings } from "./Findings";
import { Lanes, useLanes } from "./Lanes";
import { LaneTable } from "./LaneTable";
import { Laps } from "./Laps";
import { Origin } from "./Origin";
import { RunFilm } from "./RunFilm";
import { Ending, KeptPictures, RunHead } from "./RunHead";
import { type Side, SideBySide } from "./SideBySide";
import { StretchReadings } from "./StretchReadings";
import { colourOf, dashOf, type Shown } from "./series";
import { panned, type Span, same, spanOf } from "./span";
import { TakeAlong } from "./TakeAlong";
import { heldFrom, heldOf, useRunKeys } from "./useRunKeys";
import { type RunView, useRunView } from "./useRunView";
import { useShown } from "./useShown";

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

/** The step a person most likely comes for: the first with frames, else with laps, else any. */
function usualStretch(run: RunDetail, end: number): Span {
  const steps = run.stretches.filter((stretch) => stretch.kind === "step");
  const holding = (kind: string) =>
    steps.find((step) =>
      run.stretches.some((other) => other.kind === kind && other.path[0] === step.path[0]),
    );
  const start = holding("frames") ?? holding("lap") ?? steps[0];
  return start ? spanOf(start) : { from: 0, to: end };
}

function RunBody(props: { run: RunDetail }) {
  const { run } = props;
  const id = run.run.id;
  const end = Math.max(1, run.record_s, ...run.stretches.map((stretch) => stretch.end_s));
  const view = useRunView({ chosen: usualStretch(run, end), view: { from: 0, to: end * 1.01 } });
  const { chosen } = view;
  const [cursor, setCursor] = useState<number | null>(null);
  const [hidden, setHidden] = useState<Set<number>>(new Set());
  const hide = useCallback(
    (number: number) =>
      setHidden((now) => {
        const next = new Set(now);
        if (!next.delete(number)) next.add(number);
        return next;
      }),
    [],
  );
  const { runs, error } = useShown(run, view, end, hidden);
  const lanes = useLanes(runs, view.lanes, view.stacked);
  const readings = useStretch(id, chosen.from, chosen.to);
  useRunKeys({
    run,
    runs,
    view,
    whole: end,
    spikes: readings.data?.spikes ?? [],
    cursor,
    point: setCursor,
    hide,
  });
  const findings = useFindings(id);
  const show = (finding: Finding) => {
    if (finding.until_s == null) setCursor(finding.at_s);
    else view.choose({ from: finding.at_s, to: finding.until_s });
    const { from, to } = view.view;
    if (finding.at_s < from || finding.at_s > to)
      view.look(panned(view.view, (finding.at_s - (from + to) / 2) / (to - from)));
  };
  const sides = useSides(runs, view);
  const every = runs.every((shown) => shown.trace?.frames.every !== false);
  return (
    <>
      <RunHead run={run}>
        <AddRun run={run} view={view} />
      </RunHead>
      <Ending run={run} />
      <Origin run={run} />
      <Together runs={runs} view={view} cursor={cursor} hide={hide} />
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_350px]">
        <div tabIndex={0} className="min-h-0 overflow-auto px-5 pt-2 pb-6">
          <KeptPictures run={run} />
          {Boolean(error) && <Trouble what="The trace" error={error} />}
          {runs[0]?.trace && (
            <Lanes
              runs={runs}
              lanes={view.table ? [] : lanes}
              states={view.lanes}
              view={view.view}
              whole={end}
              chosen={chosen}
              cursor={cursor}
              choose={view.choose}
              look={view.look}
              point={setCursor}
              arrange={view.arrange}
              findings={findings.data ?? []}
              show={show}
            >
              drag in a lane to choose a stretch, on the rule to pan · Ctrl and wheel to zoom ·{" "}
              <kbd>?</kbd> all keys
              {!every && " · each point stands for several frames, least to greatest"}
              <TakeAlong runs={runs} lanes={lanes} states={view.lanes} view={view} />
            </Lanes>
          )}
          {runs[0]?.trace && view.table && (
            <LaneTable run={runs[0]} view={view.view} point={setCursor} />
          )}
          {sides.length > 1 && <SideBySide sides={sides} />}
          <Laps run={run} span={lapsIn(run, chosen, end)} choose={view.choose} />
          {run.stretches.length === 0 && run.run.state !== "queued" && run.record_s === 0 && (
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
          <RunFilm run={run} at={cursor ?? chosen.from} point={setCursor} />
          <StretchReadings
            run={run}
            span={chosen}
            readings={readings.data}
            error={readings.error}
            point={setCursor}
          >
            <HoldButton run={run} view={view} />
          </StretchReadings>
          <Findings run={run} chosen={chosen} cursor={cursor} show={show} />
        </aside>
      </div>
    </>
  );
}

/** Where laps are looked at: in the chosen stretch if it holds several, else in the whole run. */
function lapsIn(run: RunDetail, chosen: Span, end: number): Span {
  const laps = run.stretches.filter((stretch) => stretch.kind === "lap");
  const inside = laps.filter((lap) => lap.start_s >= chosen.from && lap.end_s <= chosen.to);
  return laps.length > 1 && inside.length < 2 ? { from: 0, to: end } : chosen;
}

/** The stretches that are compared: the held one first, then the chosen one in every run shown. */
function useSides(runs: Shown[], view: RunView): Side[] {
  const { held, chosen } = view;
  return useMemo(() => {
    const main = runs[0];
    if (!main) return [];
    const several = runs.length > 1;
    const sides: Side[] = runs
      .filter((run) => run.visible)
      .map((run) => ({
        run: run.detail.run.id,
        ...counterpart(main.detail, run.detail, chosen, run.shift),
        name: `${run.detail.variant_name}, run ${run.detail.run.id}`,
        colour: colourOf(run),
        dash: several ? dashOf(run) : undefined,
      }));
    const kept = heldFrom(held);
    if (!kept) return sides;
    const first = {
      run: kept.run,
      ...kept.span,
      name: `held: run ${kept.run}`,
      colour: "var(--brass)",
      dash: [5, 3],
    };
    const rest = sides.filter((side) => !(side.run === kept.run && same(side, kept.span)));
    return [first, ...rest].slice(0, 8);
  }, [runs, held, chosen]);
}

function HoldButton(props: { run: RunDetail; view: RunView }) {
  const { view } = props;
  const mine = heldOf(props.run.run.id, view.chosen);
  if (view.held === mine)
    return (
      <p className="mt-1 text-[12px] text-ink-2">
        Held. Choose another stretch, here or in another run, to see both side by side.{" "}
        <button type="button" className="text-brass" onClick={() => view.say({ held: null })}>
          Let it go
        </button>
      </p>
    );
  return (
    <p className="mt-1 text-[12px]">
      <button type="button" className="text-brass" onClick={() => view.say({ held: mine })}>
        Hold it to compare <kbd>h</kbd>
      </button>
      {view.held && (
        <>
          {" · "}
          <button type="button" className="text-brass" onClick={() => view.say({ held: null })}>
            let the held one go <kbd>H</kbd>
          </button>
        </>
      )}
    </p>
  );
}
