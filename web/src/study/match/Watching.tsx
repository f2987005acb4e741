/** What watching costs: runs with sampling against control runs without it. */
import type { Schemas, Study } from "../../api/client";
import { useChangePlan } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { NumberInPlace } from "../../parts/InPlace";
import { count } from "../../parts/text";
import { ComparedLines } from "./ComparedLines";

export function Watching(props: { study: Study; watching: Schemas["Watching"] }) {
  const { watching } = props;
  const change = useChangePlan(props.study.id);
  return (
    <section>
      <h2 className="font-semibold">What watching costs</h2>
      <p className="text-ink-2">
        {watching.runs
          ? `${count(watching.runs, "control run")} without sampling, held against the runs of the same rounds; to the left: sampling costs something.`
          : "Sampling takes some of the machine. Control runs, in which only what ends a timing is watched, show how much."}
      </p>
      <Acts>
        <p className="mt-1">
          In the first{" "}
          <NumberInPlace
            label="rounds with control runs"
            value={watching.planned}
            most={60}
            className="w-10"
            keep={(rounds) => change.mutate({ control_rounds: Math.round(rounds ?? 0) })}
          />{" "}
          warm rounds each variant also runs once without sampling.
        </p>
      </Acts>
      {change.error && (
        <p role="alert" className="text-behind">
          {change.error.message}
        </p>
      )}
      <ComparedLines compared={watching.costs} />
    </section>
  );
}
