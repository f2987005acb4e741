/** Rehearse: the script as it stands is played once on a variant, and shown as it goes. */
import { useEffect, useState } from "react";
import { useKeepState } from "../../api/asking";
import type { Rehearsal as Rehearsed, Study } from "../../api/client";
import { useRehearsal, useRehearse, useStepRehearsal, useStopRehearsal } from "../../api/queries";
import { useKeys } from "../../parts/keyboard";
import { count, duration } from "../../parts/text";
import { VariantSelect } from "../../parts/VariantSelect";
import { Drafting } from "./Drafting";
import { withPlace } from "./places";
import { ScreenPicture } from "./ScreenPicture";

export function Rehearsal(props: {
  study: Study;
  text: string;
  change: (text: string) => void;
  ready: boolean;
  light: (line: number | null) => void;
}) {
  const { light, study } = props;
  const rehearsal = useRehearsal(study.id);
  const rehearse = useRehearse(study.id);
  const stop = useStopRehearsal(study.id);
  const step = useStepRehearsal(study.id);
  const [variant, setVariant] = useState(study.baseline);
  const [steps, setSteps] = useState(false);
  const now = rehearsal.data;
  const going = now != null && now.state !== "ended";
  const line = now?.line ?? 0;
  const failed = now?.state === "ended" && now.outcome !== "finished";
  useEffect(() => {
    if (line > 0 && (going || failed)) light(line);
  }, [line, going, failed, light]);
  const drafts = now?.kind === "draft";
  const begin = (kind: Rehearsed["kind"]) => {
    if (props.ready && !going)
      rehearse.mutate({
        kind,
        variant,
        text: props.text,
        step_by_step: kind === "play" && steps,
      });
  };
  const start = () => begin("play");
  const next = () => {
    if (going && now.waits) step.mutate(now.id);
  };
  useKeys("Rehearsal", [
    { keys: "r", does: "rehearse the script", act: start },
    { keys: "n", does: "let the rehearsal on to its next line", act: next },
  ]);
  return (
    <section aria-label="rehearsal" className="mb-4 border-b border-line pb-4">
      <div className="flex items-center gap-2">
        <p className="flex-1">
          <span className="font-semibold">Rehearse</span>{" "}
          <span className="text-ink-2">plays it once, keeps nothing as a measurement</span>
        </p>
        <VariantSelect
          study={study}
          label="variant to rehearse with"
          value={variant}
          choose={setVariant}
        />
        <select
          aria-label="how to rehearse"
          className="field"
          value={steps ? "steps" : "through"}
          onChange={(event) => setSteps(event.target.value === "steps")}
        >
          <option value="through">straight through</option>
          <option value="steps">line by line</option>
        </select>
        {going && now.step_by_step && (
          <button type="button" className="button" disabled={!now.waits} onClick={next}>
            Next line
          </button>
        )}
        {going ? (
          <button type="button" className="button-quiet" onClick={() => stop.mutate(now.id)}>
            {drafts ? "End the work and draft" : "Stop"}
          </button>
        ) : (
          <button
            type="button"
            className="button-quiet"
            disabled={!props.ready || rehearse.isPending}
            onClick={start}
          >
            Rehearse
          </button>
        )}
      </div>
      {!going && (
        <p className="mt-1 text-[12px] text-ink-2">
          or{" "}
          <button
            type="button"
            className="act"
            disabled={!props.ready || rehearse.isPending}
            onClick={() => begin("draft")}
          >
            draft from my own work
          </button>
          : work with the program here once, and a script that does the same is written
        </p>
      )}
      {rehearse.error && (
        <p role="alert" className="mt-1 text-behind">
          {rehearse.error.message}
        </p>
      )}
      {now && (
        <div className="mt-2">
          <p role="status" className="mb-1">
            {study.variants[now.variant]?.name}: {words(now)}
            {line > 0 && now.outcome !== "finished" && `${now.waits ? " at" : ","} line ${line}`}
            {now.elapsed_s > 0 && !now.step_by_step && `, ${duration(now.elapsed_s)}`}
          </p>
          {going && <KeepState rehearsal={now} variants={study.variants.length} />}
          {now.state_detail && (
            <p className="mb-1 text-ink-2">The state it left: {now.state_detail}</p>
          )}
          {now.detail && (
            <p className={`mb-1 ${failed ? "text-behind" : "text-ink-2"}`}>{now.detail}</p>
          )}
          {drafts ? (
            <Drafting rehearsal={now} take={props.change} />
          ) : now.pictures > 0 ? (
            <ScreenPicture
              key={now.id}
              rehearsal={now}
              add={(name, place) => props.change(withPlace(props.text, name, place))}
            />
          ) : (
            <div className="flex h-[150px] items-center justify-center border border-line text-ink-2">
              {now.state === "waits" ? "waits for a rig" : "no picture yet"}
            </div>
          )}
          {now.state === "ended" && !drafts && <Lengths rehearsal={now} />}
        </div>
      )}
    </section>
  );
}

/** First questions answered, a licence entered: what the program keeps of it can begin each run. */
function KeepState(props: { rehearsal: Rehearsed; variants: number }) {
  const keep = useKeepState(props.rehearsal.id);
  const asked = keep.isPending || keep.isSuccess;
  return (
    <p className="mb-1 text-[12px] text-ink-2">
      Its home is its own and begins empty.{" "}
      {asked ? (
        "The state it leaves is being kept …"
      ) : (
        <>
          <button type="button" className="act" onClick={() => keep.mutate("variant")}>
            keep the state as it is now
          </button>{" "}
          {props.variants > 1 && (
            <button type="button" className="act" onClick={() => keep.mutate("all")}>
              or for all variants
            </button>
          )}
          : it ends, and runs begin with it from then on
        </>
      )}
      {keep.error && (
        <span role="alert" className="block text-behind">
          {keep.error.message}
        </span>
      )}
    </p>
  );
}

/** How long each stretch took, this once. Line by line the lengths mean nothing. */
function Lengths(props: { rehearsal: Rehearsed }) {
  const { timings, step_by_step } = props.rehearsal;
  if (!timings.length || step_by_step) return null;
  return (
    <>
      <p className="mt-2 text-[12px] text-ink-2">
        {count(timings.length, "stretch", "stretches")}, once: no measurement
      </p>
      <ul className="grid grid-cols-2 gap-x-6 text-[12px]">
        {timings.slice(0, 12).map((one, place) => (
          <li key={place} className="flex justify-between border-b border-line-2">
            <span>{one.path.at(-1)}</span>
            <span>
              {one.right_censored && "longer than "}
              {duration(one.seconds)}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

function words(now: Rehearsed): string {
  if (now.state === "waits") return "waits for a rig";
  if (now.kind === "draft") {
    if (now.state === "plays") return "yours to work with";
    return now.outcome === "finished" ? "your work was heard" : now.outcome;
  }
  if (now.state === "plays") return now.waits ? "waits for you" : "plays";
  return now.outcome === "finished" ? "came to its end" : now.outcome;
}
