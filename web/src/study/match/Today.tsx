/** Is today like last time? A variant measured anew, held against its earlier runs. */
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas, Study } from "../../api/client";
import { useCheckToday } from "../../api/match";
import { Acts } from "../../parts/Acts";
import { moment } from "../../parts/text";
import { VariantSelect } from "../../parts/VariantSelect";
import { ComparedLines } from "./ComparedLines";

const RUNS = 3;

export function Today(props: { study: Study; today: Schemas["Today"] | null }) {
  const { study, today } = props;
  const check = useCheckToday(study.id);
  const [variant, setVariant] = useState(study.baseline);
  const waiting = today !== null && today.read < today.runs.length;
  return (
    <section>
      <h2 className="font-semibold">Is today like last time?</h2>
      <p className="text-ink-2">
        Before adding to an older study: measure a variant again and compare it with its own earlier
        runs. These runs are used for nothing else.
      </p>
      <Acts>
        <p className="mt-1 flex items-center gap-2">
          <VariantSelect
            study={study}
            label="variant to measure anew"
            value={variant}
            choose={setVariant}
          />
          <button
            type="button"
            className="button-quiet"
            disabled={waiting || check.isPending}
            onClick={() => check.mutate({ variant, runs: RUNS })}
          >
            Measure it {RUNS} times
          </button>
        </p>
      </Acts>
      {check.error && (
        <p role="alert" className="text-behind">
          {check.error.message}
        </p>
      )}
      {today && (
        <div className="mt-2">
          {waiting ? (
            <p role="status">
              {today.read} of {today.runs.length} runs of {study.variants[today.variant]?.name} have
              been read.{" "}
              <Link className="plain" to={`/studies/${study.id}/measure`}>
                Watch
              </Link>
            </p>
          ) : (
            <p className="font-medium">
              {today.sentence}{" "}
              <span className="font-normal text-ink-2">
                Checked {moment(today.at ?? null)}, runs{" "}
                {today.runs.map((run) => (
                  <Link key={run} className="plain mr-1" to={`/runs/${run}`}>
                    {run}
                  </Link>
                ))}
              </span>
            </p>
          )}
          {today.changed.length > 0 && (
            <p className="mt-1">
              Since last time:{" "}
              {today.changed.map((one, place) => (
                <span key={one.name}>
                  {place > 0 && "; "}
                  <span className={one.grade === "breaks the comparison" ? "text-behind" : ""}>
                    {one.name}
                  </span>{" "}
                  {one.before} → {one.now}
                </span>
              ))}
              .
            </p>
          )}
          <ComparedLines compared={today.comparisons} />
        </div>
      )}
    </section>
  );
}
