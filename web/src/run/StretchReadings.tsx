/** Readings of the chosen stretch, its spikes, and what was found out about the machine. */
import type { StretchReadings as Readings, RunDetail } from "../api/client";
import { Trouble } from "../parts/Trouble";
import { count, duration, moment, significant, THIN } from "../parts/text";
import { type Span, same, spanOf } from "./span";

export function StretchReadings(props: {
  run: RunDetail;
  span: Span;
  readings: Readings | undefined;
  error: unknown;
  point: (at: number) => void;
  children?: React.ReactNode;
}) {
  const { run, span, readings } = props;
  const named = run.stretches.find((stretch) => same(spanOf(stretch), span));
  const worst = [...(readings?.spikes ?? [])].sort((a, b) => b.ms - a.ms);
  return (
    <>
      <p className="text-[12px] font-semibold text-brass">stretch</p>
      <h2 className="text-[17px] font-semibold">
        {named ? named.path.join(" / ") : "chosen by hand"}{" "}
        <span className="text-[13px] font-normal text-ink-2">
          {span.from.toFixed(2)}–{span.to.toFixed(2)}
          {THIN}s
        </span>
      </h2>
      {props.children}
      {Boolean(props.error) && <Trouble what="The readings" error={props.error} />}
      {readings && (
        <>
          <table className="mt-2 w-full">
            <tbody>
              <Line name="length" text={duration(readings.end_s - readings.start_s)} />
              <Line name="frames" text={readings.frames.toLocaleString("en")} />
              {readings.idle_s > 0 && (
                <Line
                  name="idle, cut out"
                  text={duration(readings.idle_s)}
                  title="gaps over 250 ms in which nothing was asked for"
                />
              )}
              {readings.readings.map((reading) => (
                <Line
                  key={reading.metric}
                  name={reading.name}
                  text={reading.text}
                  title={`${reading.definition}${reading.warning ? ` — ${reading.warning}` : ""}`}
                  doubtful={reading.warning !== ""}
                />
              ))}
            </tbody>
          </table>
          <h3 className="mt-4 font-semibold">
            Spikes{" "}
            <span className="font-normal text-ink-2">
              {count(readings.spike_count, "in this stretch", "in this stretch")} · <kbd>n</kbd>{" "}
              next
            </span>
          </h3>
          {worst.slice(0, 8).map((spike) => (
            <button
              type="button"
              key={spike.at_s}
              className="grid w-full grid-cols-[64px_68px_1fr] py-0.5 text-left hover:bg-brass-soft"
              onClick={() => props.point(spike.at_s)}
            >
              <span className="font-mono text-[12px]">{spike.at_s.toFixed(3)}</span>
              <span className="text-right text-behind">
                {significant(spike.ms)}
                {THIN}ms
              </span>
              <span className="pl-3 text-ink-2">{circumstances(spike)}</span>
            </button>
          ))}
        </>
      )}
      <Machine run={run} />
    </>
  );
}

/** What happened around a spike, in few words. */
function circumstances(spike: Readings["spikes"][number]): string {
  return [
    spike.after && `${significant(spike.since_ms)}${THIN}ms after ${spike.after}`,
    spike.foreign_cores > 0 && `others took ${significant(spike.foreign_cores, 2)}${THIN}cores`,
    spike.disk_mib > 0 && `${significant(spike.disk_mib, 2)}${THIN}MiB written`,
    !spike.after && spike.step && `in ${spike.step}`,
  ]
    .filter(Boolean)
    .join(", ");
}

function Line(props: { name: string; text: string; title?: string; doubtful?: boolean }) {
  return (
    <tr className="border-b border-line-2" title={props.title}>
      <th scope="row" className="py-1 text-left font-normal text-ink-2">
        {props.name}
        {props.doubtful && <span className="text-behind"> (few frames)</span>}
      </th>
      <td className="text-right whitespace-nowrap">{props.text}</td>
    </tr>
  );
}

/** What the run was measured under: its machine, preconditions, settings, and who watched. */
function Machine(props: { run: RunDetail }) {
  const { known, conditions } = props.run;
  const observer = props.run.observer as Record<string, number | string> | null;
  const told = known.filter((fact) => fact.value !== "unknown");
  const silent = known.filter((fact) => fact.value === "unknown");
  const settings = Object.entries(conditions.settings ?? {});
  if (!known.length) return null;
  return (
    <>
      <details className="mt-4 border-t border-line pt-2" open>
        <summary className="cursor-pointer font-semibold">Machine</summary>
        <Pairs pairs={told.map((fact) => [fact.name, fact.value])} />
        {silent.length > 0 && (
          <p className="text-[12px] text-ink-3">
            unknown: {silent.map((fact) => fact.name).join(", ")}
          </p>
        )}
        {observer && <p className="mt-1 text-[12px] text-ink-2">{watched(observer)}</p>}
      </details>
      {(conditions.preconditions ?? []).length > 0 && (
        <details className="mt-3 border-t border-line pt-2" open>
          <summary className="cursor-pointer font-semibold">Before it started</summary>
          <Pairs
            pairs={(conditions.preconditions ?? []).map((one) => [
              one.what,
              one.state === "ticked"
                ? `ticked by ${one.by}${one.at ? `, ${moment(one.at)}` : ""}`
                : `${one.state}${one.found ? `: ${one.found}` : ""}`,
            ])}
          />
        </details>
      )}
      {settings.length > 0 && (
        <details className="mt-3 border-t border-line pt-2">
          <summary className="cursor-pointer font-semibold">
            {count(settings.length, "setting")}
            {conditions.settings_made && ", the program's own defaults"}
          </summary>
          <Pairs pairs={settings.map(([name, value]) => [name, String(value)])} />
        </details>
      )}
    </>
  );
}

/** How pictures were told apart, and up to which rate that can be trusted. */
function toldBy(observer: Record<string, number | string>): string {
  const redraws = Number(observer.redraws ?? 0);
  if (observer.told_by === "beginning")
    return `; told apart by what each begins with, at any rate${redraws ? `; each draws the same area ${redraws} times in one go` : ""}`;
  if (!observer.trusted_hz) return "";
  return `; told apart by pauses, up to about ${significant(Number(observer.trusted_hz))} a second`;
}

/** That each picture woke the agent's interpreter, which costs twice what compiled code does. */
function slow(observer: Record<string, number | string>): string {
  if (observer.stamped_by !== "interpreted") return "";
  return "; stamped without compiled code, which costs the machine twice as much";
}

function watched(observer: Record<string, number | string>): string {
  if (observer.watch === "outer")
    return "A control run: only what ends its timings was watched, nothing was sampled.";
  const late = Number(observer.starved ?? 0);
  const lag = significant(Number(observer.longest_lag_ms ?? 0));
  return `${observer.frames} pictures seen, ${late} of them stamped late${late ? ` (by up to ${lag} ms)` : ""}${toldBy(observer)}${slow(observer)}`;
}

function Pairs(props: { pairs: [string, string][] }) {
  return (
    <dl className="mt-1 grid grid-cols-[minmax(90px,auto)_1fr] gap-x-3 gap-y-0.5 text-[12px]">
      {props.pairs.map(([name, text]) => (
        <div key={name} className="contents">
          <dt className="text-ink-2">{name}</dt>
          <dd className="min-w-0 break-words">{text}</dd>
        </div>
      ))}
    </dl>
  );
}
