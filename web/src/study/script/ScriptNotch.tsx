/** Script: the session as it is played, and what will be timed. */
import { useState } from "react";
import type { Study } from "../../api/client";
import { useBoard } from "../../api/queries";
import { count, duration, moment } from "../../parts/words";
import { type Piece, pieces } from "./highlight";

const COLOURS: Record<Piece["kind"], string> = {
  word: "font-semibold text-brass",
  string: "text-ahead",
  number: "text-[var(--v1)]",
  comment: "text-ink-3 italic",
  plain: "",
};

export function ScriptNotch(props: { study: Study }) {
  const { script, runs } = props.study;
  const [lit, setLit] = useState<number | null>(null);
  const measured = runs.filter((run) => run.outcome !== "").length;
  return (
    <div className="grid h-full grid-cols-[1.15fr_1fr]">
      <div className="flex min-h-0 flex-col bg-card">
        <p className="border-b border-line-2 px-5 py-2.5">
          <span className="font-semibold">{script.title}</span>{" "}
          <span className="text-ink-2">
            version {script.number} · {moment(script.created)} · {count(measured, "run")} measured
          </span>
        </p>
        <pre
          tabIndex={0}
          className="min-h-0 flex-1 overflow-auto py-2 font-mono text-[12.5px] leading-[20px]"
        >
          {script.text.split("\n").map((line, place) => (
            <div
              key={place}
              className={`grid grid-cols-[46px_1fr] ${lit === place + 1 ? "bg-brass-soft" : ""}`}
            >
              <span className="pr-4 text-right text-ink-3 select-none">{place + 1}</span>
              <code>
                {pieces(line).map((piece, n) => (
                  <span key={n} className={COLOURS[piece.kind]}>
                    {piece.text}
                  </span>
                ))}
              </code>
            </div>
          ))}
        </pre>
      </div>
      <WillBeTimed study={props.study} light={setLit} />
    </div>
  );
}

function WillBeTimed(props: { study: Study; light: (line: number | null) => void }) {
  const { script } = props.study;
  const times = script.stretches.filter((s) => s.kind === "time").length;
  const frames = script.stretches.length - times;
  const board = useBoard(props.study.id);
  const lengths = new Map(
    board.data?.rows
      .filter((row) => row.metric === "duration")
      .map((row) => [row.stretch.join("/"), row.medians[0]?.value]),
  );
  const length = (s: { path: string[]; kind: string; scheduled_s: number }) =>
    s.kind === "frames" ? s.scheduled_s : lengths.get(s.path.join("/"));
  const longest = Math.max(...script.stretches.map((s) => length(s) ?? 0), 0.001);
  return (
    <aside tabIndex={0} className="overflow-auto border-l border-line px-6 py-4">
      <p className="text-[12px] font-semibold text-brass">what will be timed</p>
      <h1 className="text-[17px] font-semibold">
        {count(times, "timing")}, {count(frames, "frame stretch", "frame stretches")}
      </h1>
      <p className="mb-3 text-ink-2">
        {count(script.inputs, "input")}, sent at the same moments in every variant
        {lengths.size > 0 && `; lengths are medians of ${props.study.variants[0]?.name}`}
      </p>
      {script.steps.map((step) => {
        const inside = script.stretches.filter((s) => s.path[0] === step);
        return (
          <section key={step} className="mb-3">
            <h2 className="border-b border-line-2 pb-0.5 font-semibold">{step}</h2>
            {inside.length === 0 && <p className="py-1 text-ink-3">played, not timed</p>}
            {inside.map((s) => (
              <button
                type="button"
                key={s.path.join("/")}
                className="grid w-full grid-cols-[130px_1fr] items-baseline py-1 text-left hover:bg-brass-soft"
                onMouseEnter={() => props.light(s.line)}
                onFocus={() => props.light(s.line)}
                onMouseLeave={() => props.light(null)}
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
