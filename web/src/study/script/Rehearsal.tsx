/** Rehearse: the script as it stands is played once on a variant, and shown as it goes. */
import { useEffect, useState } from "react";
import type { Study } from "../../api/client";
import { useRehearsal, useRehearse, useStopRehearsal } from "../../api/queries";
import { count, duration } from "../../parts/words";

export function Rehearsal(props: {
  study: Study;
  text: string;
  ready: boolean;
  light: (line: number | null) => void;
}) {
  const { light, study } = props;
  const rehearsal = useRehearsal(study.id);
  const rehearse = useRehearse(study.id);
  const stop = useStopRehearsal(study.id);
  const [variant, setVariant] = useState(study.baseline);
  const now = rehearsal.data;
  const going = now != null && now.state !== "ended";
  const line = now?.line ?? 0;
  const failed = now?.state === "ended" && now.outcome !== "finished";
  useEffect(() => {
    if (line > 0 && (going || failed)) light(line);
  }, [line, going, failed, light]);
  return (
    <section aria-label="rehearsal" className="mb-4 border-b border-line pb-4">
      <div className="flex items-center gap-2">
        <p className="flex-1">
          <span className="font-semibold">Rehearse</span>{" "}
          <span className="text-ink-2">plays it once, keeps nothing as a measurement</span>
        </p>
        <select
          aria-label="variant to rehearse with"
          className="field"
          value={variant}
          onChange={(event) => setVariant(Number(event.target.value))}
        >
          {study.variants.map((one) => (
            <option key={one.name} value={one.position}>
              {one.name}
            </option>
          ))}
        </select>
        {going ? (
          <button type="button" className="button-quiet" onClick={() => stop.mutate(now.id)}>
            Stop
          </button>
        ) : (
          <button
            type="button"
            className="button-quiet"
            disabled={!props.ready || rehearse.isPending}
            onClick={() => rehearse.mutate({ variant, text: props.text })}
          >
            Rehearse
          </button>
        )}
      </div>
      {rehearse.error && (
        <p role="alert" className="mt-1 text-behind">
          {rehearse.error.message}
        </p>
      )}
      {now && (
        <div className="mt-2 grid grid-cols-[240px_1fr] gap-3">
          {now.pictures > 0 ? (
            <img
              src={`/api/rehearsals/${now.id}/picture?n=${now.pictures}`}
              alt={`the screen ${duration(now.elapsed_s)} into the rehearsal`}
              className="w-full border border-line"
            />
          ) : (
            <div className="flex h-[150px] items-center justify-center border border-line text-ink-2">
              {now.state === "waits" ? "waits for a rig" : "no picture yet"}
            </div>
          )}
          <div>
            <p role="status">
              {study.variants[now.variant]?.name}: {words(now.state, now.outcome)}
              {line > 0 && now.outcome !== "finished" && `, line ${line}`}
              {now.elapsed_s > 0 && `, ${duration(now.elapsed_s)}`}
            </p>
            {now.detail && <p className="mt-1 text-behind">{now.detail}</p>}
            {now.state === "ended" && now.timings.length > 0 && (
              <>
                <p className="mt-1 text-[12px] text-ink-2">
                  {count(now.timings.length, "stretch", "stretches")}, once: no measurement
                </p>
                <ul className="text-[12px]">
                  {now.timings.slice(0, 8).map((one, place) => (
                    <li key={place} className="flex justify-between border-b border-line-2">
                      <span>{one.path.at(-1)}</span>
                      <span>
                        {one.longer_than && "longer than "}
                        {duration(one.seconds)}
                      </span>
                    </li>
                  ))}
                </ul>
              </>
            )}
          </div>
        </div>
      )}
    </section>
  );
}

function words(state: string, outcome: string): string {
  if (state === "waits") return "waits for a rig";
  if (state === "plays") return "plays";
  return outcome === "finished" ? "came to its end" : outcome;
}
