/** What was found in all of a log, and which part of it becomes a run of which variant. */
import { useState } from "react";
import type { Log, Schemas, Study } from "../api/client";
import type { useKeepLogs } from "../api/logs";
import { count, duration, significant, THIN } from "../parts/text";
import {
  A_LOOK_OF_ITS_OWN,
  hasVerdictOfBroughtIn,
  measuredBefore,
  namedAfter,
  proposedStretch,
  stillMissing,
  withoutRepeats,
} from "./becoming";
import { MayBeCompared } from "./MayBeCompared";
import { isOpen, NewVariants, useOfVariants, VariantOf } from "./OfVariants";

interface Part {
  name: string;
  first_line: number;
  rows: number;
  seconds: number;
  frames: number;
  steps: number;
  marks: number;
  timings?: number;
}

interface Summary {
  rows: number;
  broken: number;
  first_broken: { line: number; why: string; text: string }[];
  between: number;
  repeats: number;
  gaps: number;
  longest_gap_s: number;
  drift_s: number;
  missing: Record<string, number>;
  parts: Part[];
  more_parts: number;
}

const grouped = (number: number) => number.toLocaleString("en");

export function Keeping(props: {
  study: Study;
  logs: Log[];
  keep: ReturnType<typeof useKeepLogs>;
}) {
  const { study, logs, keep } = props;
  const first = logs[0] as Log;
  const summaries = logs.map((one) => one.summary as unknown as Summary);
  const many = logs.length > 1;
  const after = namedAfter(logs.map((one) => one.name));
  const parts = logs.flatMap((log, n) => {
    const found = summaries[n]?.parts ?? [];
    const names = withoutRepeats(found.map((part) => part.name));
    return found.map((part, place) => ({
      ...part,
      log: log.id,
      file: log.name,
      called: names[place] || after.variants[n] || log.name,
    }));
  });
  // Where a rig starts what is compared, a new variant is offered, but not proposed.
  const open = isOpen(study);
  const called = parts.map((part) => part.called);
  const of = useOfVariants(study, called, after.program);
  const timed = parts.some((part) => part.timings);
  // Of results each row is a run, and none has frames.
  const results = parts.every((part) => part.rows === 1 && !part.frames);
  // Several timings of a run have names of their own: only the step is to be said.
  const several = parts.some((part) => (part.timings ?? 0) > 1);
  const stretches = several ? study.script.steps : stretchesOf(study, timed ? "time" : "frames");
  const nameless = (place: number) => (parts.length > 1 ? `row ${place + 1}` : "all of it");
  const before = open ? measuredBefore(study) : [];
  const [stretch, setStretch] = useState(
    (open && !many ? proposedStretch(first, before) : stretches[0]) ?? "The whole log",
  );
  const [saveAs, setSaveAs] = useState("");
  const [reason, setReason] = useState(open ? "all of this study was measured elsewhere" : "");
  const busy = keep.isPending || of.making || logs.some((one) => one.state === "keeping");
  const missing = stillMissing({
    kept: of.kept,
    variants: of.fresh.map(of.nameOf),
    program: of.fresh.length > 0 && !study.subject ? of.program : null,
    stretch,
  });
  const submit = async () => {
    try {
      const positions = await of.positions();
      const asked = logs.map((log): [number, Schemas["Keep"]] => [
        log.id,
        {
          variants: positions.filter((_, place) => parts[place]?.log === log.id),
          stretch: stretch.split(" / ").slice(0, 2),
          save_as: log === first ? saveAs : "",
          reason: reason.trim(),
        },
      ]);
      // A file of which nothing is to be kept stays where it is.
      keep.mutate(asked.filter(([, body]) => body.variants.some((one) => one >= 0)));
    } catch {
      // Why stands below.
    }
  };
  const named = parts.every((part) => part.steps > 0) || first.mapping.record;
  const rows = summaries.reduce((sum, one) => sum + one.rows, 0);
  const broken = summaries.reduce((sum, one) => sum + one.broken, 0);
  const moreParts = summaries.reduce((sum, one) => sum + one.more_parts, 0);
  return (
    <section aria-label="what is in it" className="mt-5 max-w-[980px] border-t border-line pt-3">
      <h2 className="text-[17px] font-semibold">
        {grouped(rows)} rows understood
        {broken > 0 && <span className="text-behind">, {count(broken, "line")} broken</span>}
      </h2>
      {logs.map((log, n) => (
        <OfFile key={log.id} name={many ? log.name : ""} found={summaries[n] as Summary} />
      ))}
      <table className="mt-3 w-full">
        <thead>
          <tr className="border-b border-line text-left text-[12px] text-ink-2">
            {many && (
              <th scope="col" className="py-1 font-normal">
                file
              </th>
            )}
            <th scope="col" className="py-1 font-normal">
              part
            </th>
            <th scope="col" className="text-right font-normal">
              {first.mapping.kind === "separated" ? "from line" : "from row"}
            </th>
            <th scope="col" className="text-right font-normal">
              length
            </th>
            {!results && (
              <>
                <th scope="col" className="text-right font-normal">
                  rows
                </th>
                <th scope="col" className="text-right font-normal">
                  frames
                </th>
              </>
            )}
            <th scope="col" className="pl-4 font-normal">
              becomes a run of
            </th>
          </tr>
        </thead>
        <tbody>
          {parts.map((part, place) => (
            <tr key={place} className="border-b border-line-2">
              {many && <td className="max-w-[260px] truncate pr-3">{part.file}</td>}
              <th scope="row" className="py-1 text-left font-medium">
                {part.name || (many ? "all of it" : nameless(place))}
              </th>
              <td className="text-right">{grouped(part.first_line)}</td>
              <td className="text-right">{duration(part.seconds)}</td>
              {!results && (
                <>
                  <td className="text-right">{grouped(part.rows)}</td>
                  <td className="text-right">{part.frames ? grouped(part.frames) : "—"}</td>
                </>
              )}
              <td className="pl-4">
                <VariantOf
                  study={study}
                  of={of}
                  place={place}
                  label={part.name || (many ? part.file : nameless(place))}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {moreParts > 0 && (
        <p className="mt-1 text-behind">
          {grouped(moreParts)} more marked stretches are too many and are not taken.
        </p>
      )}
      <NewVariants study={study} of={of} />
      <div className="mt-3 flex flex-wrap items-center gap-x-5 gap-y-2">
        {!named && (
          <label>
            {several
              ? "the step with these timings is called"
              : open
                ? "what was measured is called"
                : "its readings stand beside those of"}{" "}
            <input
              className="field w-[260px]"
              list="stretches"
              maxLength={240}
              value={stretch}
              onChange={(event) => setStretch(event.target.value)}
            />
            <datalist id="stretches">
              {[...new Set([...before, ...stretches])].map((one) => (
                <option key={one}>{one}</option>
              ))}
            </datalist>
          </label>
        )}
        {!named && before.length > 0 && !before.includes(stretch.trim()) && (
          <span className="text-ink-2">
            until now:{" "}
            {before.map((one) => (
              <button key={one} type="button" className="act mr-2" onClick={() => setStretch(one)}>
                {one}
              </button>
            ))}
            — under another name it is compared by itself
          </span>
        )}
        {!first.mapping.record && (
          <label>
            keep this mapping as{" "}
            <input
              className="field w-[160px]"
              placeholder="no name: not kept"
              maxLength={80}
              value={saveAs}
              onChange={(event) => setSaveAs(event.target.value)}
            />
          </label>
        )}
        <MayBeCompared because={reason} say={setReason} />
        <button type="button" className="button" disabled={busy || missing !== ""} onClick={submit}>
          Keep as {count(of.kept, "run")}
        </button>
        <span role="status" className="text-ink-2">
          {busy
            ? "keeping …"
            : missing
              ? `first: ${missing}`
              : reason.trim()
                ? "compared at once; the reason stands with them"
                : "kept apart from measured runs until somebody lets them in, with a reason"}
        </span>
      </div>
      {reason.trim() && !busy && hasVerdictOfBroughtIn(study) && (
        <p className="mt-2 max-w-[760px] text-ink-2">{A_LOOK_OF_ITS_OWN}</p>
      )}
      {(keep.error ?? of.error) && (
        <p role="alert" className="mt-2 text-behind">
          {(keep.error ?? of.error)?.message}
        </p>
      )}
    </section>
  );
}

/** What was found in one file besides its rows; of several only those with something to say. */
function OfFile(props: { name: string; found: Summary }) {
  const { name, found } = props;
  const said = asides(found);
  if (!said.length && !found.first_broken.length) return null;
  return (
    <>
      <p className="text-ink-2">
        {name && said.length > 0 && `${name}: `}
        {said.join("; ")}
      </p>
      {found.first_broken.length > 0 && (
        <details className="mt-1">
          <summary className="cursor-pointer text-brass">
            the broken lines{name && ` of ${name}`}
            {found.broken > found.first_broken.length && ", the first of them"}
          </summary>
          <ul className="mt-1 max-h-[180px] overflow-auto font-mono text-[12px]">
            {found.first_broken.map((one) => (
              <li key={`${one.line}${one.why}`}>
                line {one.line}: {one.why}
                {one.text && <span className="text-ink-3"> — {one.text}</span>}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

/** The stretches of a kind in the study's session, as step / name. */
function stretchesOf(study: Study, kind: "time" | "frames"): string[] {
  return study.script.stretches
    .filter((stretch) => stretch.kind === kind)
    .map((stretch) => stretch.path.join(" / "));
}

function asides(found: Summary): string[] {
  const said = [];
  if (found.between) said.push(`${grouped(found.between)} rows lie between the marked stretches`);
  if (found.repeats) said.push(`${grouped(found.repeats)} have the time of the row before`);
  if (found.gaps)
    said.push(
      `${count(found.gaps, "gap")} in the time, the longest ${duration(found.longest_gap_s)}`,
    );
  if (Math.abs(found.drift_s) > 0.05)
    said.push(`frame times and times part by ${significant(found.drift_s)}${THIN}s`);
  for (const [name, number] of Object.entries(found.missing))
    said.push(`${grouped(number)} values of “${name}” are missing`);
  return said;
}
