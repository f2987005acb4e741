/** Script: the session as it is played, changed where it stands, and what will be timed. */
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { useTries } from "../../api/asking";
import type { Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import {
  layoutScript,
  useBoard,
  useKeepScript,
  useRehearsal,
  useScriptVersions,
} from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { useKeys } from "../../parts/keyboard";
import { count, duration, moment } from "../../parts/text";
import { isElsewhere } from "../ask/readiness";
import { Editor, type Mistake } from "./Editor";
import { Rehearsal } from "./Rehearsal";

function stateOf(changed: boolean, mayChange: boolean): string {
  if (!changed) return mayChange ? "as kept; type to change it, Ctrl+S keeps it" : "as kept";
  return mayChange
    ? "changed, not kept yet; runs measured so far keep their version"
    : "changed here only: you may read this study, not change it";
}

export function ScriptNotch(props: { study: Study }) {
  const { script, runs } = props.study;
  const [search] = useSearchParams();
  const asked = Number(search.get("line")) || null;
  const [lit, setLit] = useState<number | null>(asked);
  useEffect(() => setLit(asked), [asked]);
  const measured = runs.filter((run) => run.outcome !== "" && run.origin !== "brought in").length;
  const [text, setText] = useState(script.text);
  const [found, setFound] = useState<readonly Mistake[]>([]);
  const mistakes = found.length;
  const [against, setAgainst] = useState<number | null>(null);
  const versions = useScriptVersions(props.study.id, script.number > 1);
  const keep = useKeepScript(props.study.id);
  const changed = text !== script.text;
  const [trouble, setTrouble] = useState("");
  useEffect(() => setText(script.text), [script.text]);
  const save = () => {
    if (changed && !mistakes) keep.mutate(text);
  };
  const layOut = () =>
    layoutScript(text).then(
      (answer) => {
        setTrouble("");
        setText(answer.text);
      },
      (error: Error) => setTrouble(error.message),
    );
  useKeys("Script", [{ keys: "f", does: "lay the script out", act: layOut }]);
  const mayChange = useMayChange();
  const rehearsal = useRehearsal(props.study.id);
  const tries = useTries(props.study.id);
  const seen = [rehearsal.data, ...(tries.data ?? [])].flatMap((one) => one?.windows ?? []);
  const titles = [...new Set(seen.map((window) => window.title))].filter((title) => title !== "");
  const other = versions.data?.find((version) => version.number === against);
  return (
    <div className="grid h-full grid-cols-[1.15fr_1fr]">
      <div className="flex min-h-0 min-w-0 flex-col bg-card">
        <div className="flex items-center gap-3 border-b border-line-2 px-5 py-2">
          <p className="min-w-0 flex-1 truncate">
            <span className="font-semibold">{script.title}</span>{" "}
            <span className="text-ink-2">
              version {script.number} · {moment(script.created)} · {count(measured, "run")} measured
            </span>
          </p>
          {versions.data && versions.data.length > 1 && (
            <select
              aria-label="compare with a version"
              className="field"
              value={against ?? ""}
              onChange={(event) =>
                setAgainst(event.target.value ? Number(event.target.value) : null)
              }
            >
              <option value="">compare with …</option>
              {versions.data.map((version) => (
                <option key={version.number} value={version.number}>
                  version {version.number}, {count(version.measured, "run")}
                </option>
              ))}
            </select>
          )}
          <Acts>
            <button type="button" className="act" onClick={layOut}>
              lay out
            </button>
          </Acts>
          {changed && (
            <button type="button" className="act" onClick={() => setText(script.text)}>
              leave the changes
            </button>
          )}
          <Acts>
            <button
              type="button"
              className="button"
              disabled={!changed || mistakes > 0 || keep.isPending}
              onClick={save}
            >
              Keep as version {script.number + 1}
            </button>
          </Acts>
        </div>
        {/* always one line high: nothing below it moves while somebody types */}
        <p
          role="status"
          title={found[0]?.text}
          className="truncate border-b border-line-2 px-5 py-1 text-[12px] text-ink-2"
        >
          {found[0] && (
            <>
              <button
                type="button"
                className="act mr-1 text-behind"
                onClick={() => setLit(found[0]?.line ?? null)}
              >
                {found[0].text}
              </button>
              {mistakes > 1 && ` ${mistakes - 1} more.`} Nothing is kept until the script can be
              read.
            </>
          )}
          {mistakes === 0 && stateOf(changed, mayChange)}
        </p>
        {(keep.error || trouble) && (
          <p role="alert" className="px-5 py-1 text-behind">
            {keep.error?.message ?? trouble}
          </p>
        )}
        <Editor
          text={text}
          change={setText}
          checked={setFound}
          keep={save}
          light={lit}
          windows={titles}
          against={other?.text ?? null}
        />
      </div>
      {props.study.variants.length > 0 && props.study.variants.every(isElsewhere) ? (
        <aside className="overflow-auto border-l border-line px-6 py-4">
          <p className="border-l-2 border-brass pl-3">
            No rig plays this session: these variants were measured elsewhere, and what is{" "}
            <Link className="plain" to={`/studies/${props.study.id}/bring-in`}>
              brought in
            </Link>{" "}
            has steps and timings of its own. It is what would be played, once a variant is added
            that a rig starts.
          </p>
        </aside>
      ) : (
        <WillBeTimed study={props.study} changed={changed} light={setLit}>
          <Acts>
            <Rehearsal
              study={props.study}
              text={text}
              change={setText}
              ready={mistakes === 0}
              light={setLit}
            />
          </Acts>
        </WillBeTimed>
      )}
    </div>
  );
}

function WillBeTimed(props: {
  study: Study;
  changed: boolean;
  light: (line: number | null) => void;
  children: React.ReactNode;
}) {
  const { script } = props.study;
  const times = script.stretches.filter((s) => s.kind === "time").length;
  const frames = script.stretches.length - times;
  const board = useBoard(props.study.id);
  const rehearsal = useRehearsal(props.study.id);
  const lengths = new Map(
    board.data?.rows
      .filter((row) => row.metric === "duration")
      .map((row) => [row.stretch.join("/"), row.medians[props.study.baseline]?.value]),
  );
  const rehearsed = new Map(
    rehearsal.data?.timings
      .filter((one) => !one.right_censored)
      .map((one) => [one.path.join("/"), one.seconds]),
  );
  const length = (s: { path: string[]; kind: string; scheduled_s: number }) => {
    const path = s.path.join("/");
    return s.kind === "frames" ? s.scheduled_s : (lengths.get(path) ?? rehearsed.get(path));
  };
  const longest = Math.max(...script.stretches.map((s) => length(s) ?? 0), 0.001);
  return (
    <aside tabIndex={0} className="overflow-auto border-l border-line px-6 py-4">
      {props.children}
      <p className="text-[12px] font-semibold text-brass">
        what will be timed
        {props.changed && (
          <span className="font-normal text-ink-2">
            {" "}
            in version {script.number}: what is changed here counts once it is kept
          </span>
        )}
      </p>
      <h1 className="text-[17px] font-semibold">
        {count(times, "timing")}, {count(frames, "frame stretch", "frame stretches")}
      </h1>
      <p className="mb-3 text-ink-2">
        {count(script.inputs, "input")}, sent at the same moments in every variant
        {lengths.size > 0 &&
          `; lengths are medians of ${props.study.variants[props.study.baseline]?.name}`}
        {lengths.size === 0 && rehearsed.size > 0 && "; lengths are those of the last rehearsal"}
      </p>
      {script.steps.map((step) => {
        const inside = script.stretches.filter((s) => s.path[0] === step);
        return (
          <section key={step} className="mb-3">
            <h2 className="border-b border-line-2 pb-0.5 font-semibold">
              {step}{" "}
              {script.only_some[step] && (
                <span className="font-normal text-behind">{script.only_some[step]}</span>
              )}
            </h2>
            {inside.length === 0 && <p className="py-1 text-ink-3">played, not timed</p>}
            {inside.map((s) => (
              <button
                type="button"
                key={s.path.join("/")}
                className="grid w-full grid-cols-[130px_1fr] items-baseline py-1 text-left hover:bg-brass-soft"
                onClick={() => props.light(s.line)}
              >
                <span className="font-medium" style={{ paddingLeft: (s.path.length - 2) * 14 }}>
                  {s.path.at(-1)}
                </span>
                <span>
                  <Length
                    seconds={length(s)}
                    longest={longest}
                    inner={s.path.length > 2}
                    frames={s.kind === "frames"}
                  />
                  <span className="text-[12px] text-ink-2">
                    {s.kind === "frames"
                      ? `every frame of ${duration(s.scheduled_s)}, ${count(s.inputs, "input")}`
                      : `ends when ${s.ends_with}`}
                  </span>
                </span>
              </button>
            ))}
          </section>
        );
      })}
      <p className="mt-4 border-t border-line pt-3 text-ink-2">
        A timing starts with its first input and ends at the moment its last{" "}
        <code className="font-mono">until</code> became true, not when waiting stopped.
      </p>
    </aside>
  );
}

/** How long a stretch takes, as a bar that ends in a notch. */
function Length(props: {
  seconds: number | undefined;
  longest: number;
  inner: boolean;
  frames: boolean;
}) {
  if (props.seconds === undefined) return null;
  const ground = props.frames ? "bg-[var(--v1)]/25" : props.inner ? "bg-brass/60" : "bg-brass/30";
  return (
    <span className="flex items-center gap-2">
      <span
        className={`block h-3 border-r-2 border-brass ${ground}`}
        style={{ width: `${Math.max(0.4, (props.seconds / props.longest) * 72)}%` }}
      />
      <span className="whitespace-nowrap">{duration(props.seconds)}</span>
    </span>
  );
}
