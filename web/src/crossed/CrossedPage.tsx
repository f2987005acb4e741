/** Two crossed factors: cells, what lies between them, and whether one number will do. */
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { Study } from "../api/client";
import { type CrossedMetric, type Crossing, useCrossing } from "../api/crossing";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { count } from "../parts/text";
import { OfStudy } from "../study/OfStudy";
import { Levels } from "./Levels";
import { Matrix } from "./Matrix";
import { OneNumber } from "./OneNumber";
import { Works } from "./Works";

const nameOf = (one: CrossedMetric) => [one.metric, ...one.stretch].join("~");

export function CrossedPage() {
  const id = Number(useParams().study);
  const [search, setSearch] = useSearchParams();
  const [metric = "", ...stretch] = (search.get("metric") ?? "").split("~");
  const crossing = useCrossing(id, metric, stretch);
  return (
    <OfStudy id={id}>
      {(study) => (
        <>
          {crossing.isPending && <Waiting what="the crossed factors" />}
          {crossing.error && (
            <Trouble
              what="The crossed factors"
              error={crossing.error}
              again={() => crossing.refetch()}
            />
          )}
          {crossing.data && (
            <Body
              study={study}
              crossing={crossing.data}
              choose={(one) => setSearch({ metric: nameOf(one) }, { replace: true })}
            />
          )}
        </>
      )}
    </OfStudy>
  );
}

function Body(props: {
  study: Study;
  crossing: Crossing;
  choose: (metric: CrossedMetric) => void;
}) {
  const { study, crossing, choose } = props;
  const { chosen, metrics } = crossing;
  const navigate = useNavigate();
  const at = metrics.findIndex((one) => chosen && nameOf(one) === nameOf(chosen));
  const go = (to: number) => {
    const next = metrics[to];
    if (next) choose(next);
  };
  useKeys("Crossed factors", [
    { keys: "j", does: "the next metric", act: () => go(at + 1) },
    { keys: "k", does: "the metric before", act: () => go(at - 1) },
    {
      keys: "g w",
      does: "what works with what",
      act: () => navigate(`/studies/${study.id}/works`),
    },
  ]);
  if (!crossing.rows.length)
    return (
      <>
        <h1 className="text-[20px] font-semibold">Cross two factors</h1>
        <p className="mt-1 max-w-[720px] text-ink-2">
          Where variants differ in two things, such as release and setting, say both of each. Every
          cell is measured in every round; the page then shows what each factor does at each level
          of the other, and whether one number will do for all.
        </p>
        <Levels study={study} crossing={crossing} />
      </>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_356px] gap-6">
      <div className="min-w-0">
        {chosen ? (
          <>
            <p>
              <b>{chosen.label}</b>{" "}
              <span className="text-ink-2">
                medians of the rounds; every cell ran once in every round · better to the right
              </span>
            </p>
            <Matrix crossing={crossing} chosen={chosen} />
          </>
        ) : (
          <p className="text-ink-2">
            Nothing is measured yet: {count(crossing.variants.length, "variant")} stand in their
            cells. Press <kbd>g</kbd> <kbd>m</kbd> in the study to measure.
          </p>
        )}
        <details className="mt-4">
          <summary className="cursor-pointer text-ink-2">Change levels and remarks</summary>
          <Levels study={study} crossing={crossing} />
        </details>
      </div>
      <aside>
        <p className="text-[12px] font-semibold text-brass">
          {crossing.factor || "first factor"} × {crossing.second_factor}
        </p>
        {chosen?.steps.map((step) => (
          <p key={step.column} className="text-[16px] leading-snug" aria-live="polite">
            {step.sentence}
          </p>
        ))}
        <OneNumber crossing={crossing} chosen={chosen ? nameOf(chosen) : ""} choose={choose} />
        <Works study={study.id} crossing={crossing} />
      </aside>
    </div>
  );
}
