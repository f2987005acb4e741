/** The line of releases of a subject: newest on top, each against the anchor, and what changed. */
import { useNavigate, useParams, useSearchParams } from "react-router";
import { type MetricLine, type ReleaseLine, useLine, useMeasureOfLine } from "../api/lines";
import { useMayChange } from "../api/people";
import { useSubjects } from "../api/workshop";
import { Header } from "../parts/Header";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { count } from "../parts/text";
import { Order } from "./Order";
import { Releases } from "./Releases";
import { Stairs } from "./Stairs";
import { beside, changed } from "./stairs";

/** A row of a release, so that all of a short line are seen at once, and no row is too low. */
const rowOf = (releases: number) => Math.max(20, Math.min(31, Math.floor(470 / releases)));
const WIDE = 474;
const NARROW = 132;
const MOST_BESIDE = 4;

export function LinePage() {
  const subject = Number(useParams().subject);
  const key = useParams().line ?? "";
  const line = useLine(subject, key);
  const subjects = useSubjects();
  const name = subjects.data?.find((one) => one.id === subject)?.name ?? "";
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>
        {name} <span className="px-1">/</span>{" "}
        <span className="font-semibold text-head-ink">The line of releases</span>
      </Header>
      {line.isPending && <Waiting what="the line of releases" />}
      {line.error && (
        <Trouble what="The line of releases" error={line.error} again={() => line.refetch()} />
      )}
      {line.data && <Body subject={subject} name={name} line={line.data} />}
    </div>
  );
}

function Body(props: { subject: number; name: string; line: ReleaseLine }) {
  const { subject, line, name } = props;
  const [search, setSearch] = useSearchParams();
  const wanted = search.get("metric");
  const found = line.metrics.findIndex((one) => nameOf(one) === wanted);
  const at = found < 0 ? 0 : found;
  const chosen = line.metrics[at];
  const choose = (metric: MetricLine | undefined) =>
    metric && setSearch({ metric: nameOf(metric) }, { replace: true });
  useKeys("Line of releases", [
    { keys: "j", does: "the next metric", act: () => choose(line.metrics[at + 1]) },
    { keys: "k", does: "the metric before", act: () => choose(line.metrics[at - 1]) },
  ]);
  if (!chosen)
    return (
      <p className="m-6 max-w-xl text-ink-2">
        No metric was read of two releases that one session ties together. A line begins when a
        study has measured two releases; the release that most studies share becomes its anchor.
      </p>
    );
  const row = rowOf(line.releases.length);
  const anchor = line.releases[chosen.anchor]?.name ?? "";
  const parts = changed(line.metrics);
  return (
    <>
      <div className="flex items-baseline gap-2 bg-brass-soft px-6 py-2.5">
        <h1 className="text-[16px] font-semibold">
          {name}, {line.releases[0]?.name} to {line.releases.at(-1)?.name}
        </h1>
        <span className="text-ink-2">in</span> <b>{line.title}</b>
        <span className="text-ink-2">on rigs like</span> <b>{line.rigs.join(", ")}</b>
        <span className="flex-1" />
        <MeasureMissing subject={subject} line={line} />
      </div>
      <main className="min-h-0 flex-1 overflow-auto px-6 py-3">
        <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-8">
          <p>
            <b>
              {count(line.releases.filter((one) => one.measured).length, "release")},{" "}
              {count(line.sessions.length, "session")} of measuring
            </b>{" "}
            <span className="text-ink-2">
              better to the right; newest on top. {anchor} is the anchor: it ran anew in{" "}
              {line.sessions.length > 1 ? "every session" : "the session"} (■), so that a day's mood
              is no change. Stairs: the levels between changes.
            </span>
          </p>
          <p className="text-[17px] leading-snug" aria-live="polite">
            {chosen.headline}
          </p>
        </div>
        <div className="mt-2 flex">
          <Releases line={line} metric={chosen} row={row} />
          <Stairs
            metric={chosen}
            releases={line.releases.length}
            row={row}
            width={WIDE}
            wide
            anchorName={anchor}
          />
          <div className="ml-2 flex border-l border-line pl-2">
            {beside(line.metrics, chosen, MOST_BESIDE).map((one) => (
              <button
                key={nameOf(one)}
                type="button"
                title={one.headline}
                onClick={() => choose(one)}
              >
                <Stairs
                  metric={one}
                  releases={line.releases.length}
                  row={row}
                  width={NARROW}
                  wide={false}
                  anchorName={anchor}
                />
              </button>
            ))}
          </div>
        </div>
        <div className="mt-3 grid grid-cols-[minmax(0,1fr)_minmax(0,2fr)] gap-8 border-t border-line pt-3">
          <div>
            <Where subject={subject} line={line} metric={chosen} />
            <Order
              key={line.releases.map((one) => one.name).join()}
              subject={subject}
              line={line}
            />
          </div>
          <section>
            <h2 className="font-semibold">
              {parts.changed.length} of {count(line.metrics.length, "metric")} changed{" "}
              <span className="font-normal text-ink-2">
                false alarms: at most 5 in 100 lines of main metrics, 1 in 100 of others
              </span>
            </h2>
            <MetricList metrics={parts.changed} chosen={chosen} choose={choose} />
            {parts.same.length > 0 && (
              <details className="mt-1">
                <summary className="cursor-pointer text-ink-2">
                  {parts.same.length} show no change
                </summary>
                <MetricList metrics={parts.same} chosen={chosen} choose={choose} />
              </details>
            )}
          </section>
        </div>
      </main>
    </>
  );
}

const nameOf = (metric: MetricLine) => [...metric.stretch, metric.metric].join("~");

function MetricList(props: {
  metrics: MetricLine[];
  chosen: MetricLine;
  choose: (metric: MetricLine) => void;
}) {
  return (
    <p className="leading-relaxed">
      {props.metrics.map((one) => (
        <button
          key={nameOf(one)}
          type="button"
          aria-pressed={one === props.chosen}
          className={`mr-4 ${one === props.chosen ? "font-semibold" : "text-brass"}`}
          onClick={() => props.choose(one)}
        >
          {one.label}
        </button>
      ))}
    </p>
  );
}

/** Where exactly a change lies, and what measuring would tell. */
function Where(props: { subject: number; line: ReleaseLine; metric: MetricLine }) {
  const { line, metric } = props;
  const next = metric.next;
  const measure = useMeasure(props.subject, line);
  const name = next ? (line.releases[next.release]?.name ?? "") : "";
  return (
    <section>
      <h2 className="font-semibold">Where exactly?</h2>
      {next ? (
        <p>
          It is not known yet which release brought {next.why}.{" "}
          {measure.may && (
            <button
              type="button"
              className="act"
              disabled={measure.pending}
              onClick={() => measure.go([name])}
            >
              Measure {name} {next.again ? "again" : "next"}
            </button>
          )}
        </p>
      ) : (
        <p className="text-ink-2">
          {metric.changes.length
            ? "Each change lies between two releases that were both measured."
            : "There is no change to place."}
        </p>
      )}
      {metric.apart.length > 0 && (
        <p className="text-ink-2">
          Not on the line, for no session ties them to its anchor: {metric.apart.join(", ")}.
        </p>
      )}
      {metric.withheld.length > 0 && (
        <p className="text-ink-2">
          Left out where they were not measured alike: {metric.withheld.join(", ")}. Match in their
          studies says what differed.
        </p>
      )}
      {measure.error && (
        <p role="alert" className="text-behind">
          {measure.error.message}
        </p>
      )}
    </section>
  );
}

function MeasureMissing(props: { subject: number; line: ReleaseLine }) {
  const measure = useMeasure(props.subject, props.line);
  const missing = props.line.releases.filter((one) => !one.measured).map((one) => one.name);
  if (!measure.may || !missing.length) return null;
  return (
    <button
      type="button"
      className="act"
      disabled={measure.pending}
      onClick={() => measure.go(missing.slice(0, 7))}
    >
      Measure what is missing: {missing.slice(0, 3).join(", ")}
      {missing.length > 3 ? " …" : ""}
    </button>
  );
}

function useMeasure(subject: number, line: ReleaseLine) {
  const may = useMayChange();
  const make = useMeasureOfLine(subject, line.key);
  const navigate = useNavigate();
  return {
    may,
    pending: make.isPending,
    error: make.error,
    go: (releases: string[]) =>
      make.mutate(releases, { onSuccess: (made) => navigate(`/studies/${made.study}/measure`) }),
  };
}
