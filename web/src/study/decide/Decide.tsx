/** Decide: what to recommend to whom, in places, causes, costs, claims, and what is still open. */
import { Link, useSearchParams } from "react-router";
import type { Decision, Study } from "../../api/client";
import { useDecision, useSession } from "../../api/queries";
import { Answers } from "../../parts/Answers";
import { useKeys } from "../../parts/keyboard";
import { Trouble, Waiting } from "../../parts/Trouble";
import { Looks, VariantName } from "../../parts/variants";
import { Advice } from "./Advice";
import { Aside } from "./Aside";
import { Contributions } from "./Contributions";
import { Costs } from "./Costs";
import { Places } from "./Places";

export function Decide(props: { study: Study }) {
  const { study } = props;
  const [search, setSearch] = useSearchParams();
  const asked = Number(search.get("baseline") ?? study.baseline);
  const there = asked < study.variants.length && asked !== study.baseline;
  const decision = useDecision(study.id, there ? asked : undefined);
  const next = () => {
    const index = ((there ? asked : study.baseline) + 1) % study.variants.length;
    setSearch(index === study.baseline ? {} : { baseline: String(index) }, { replace: true });
  };
  useKeys("Decide", [{ keys: "b", does: "next variant as baseline", act: next }]);
  if (decision.isPending) return <Waiting what="the decision" />;
  if (decision.error)
    return <Trouble what="The decision" error={decision.error} again={() => decision.refetch()} />;
  if (!decision.data.rounds && !study.runs.some((run) => run.acceptance_reason))
    return (
      <p className="max-w-xl p-6 text-ink-2">
        Nothing can be decided yet: no warm round has been measured. Here each profile gets its
        recommendation with the reasons, what it costs and where it comes from. Press <kbd>g</kbd>{" "}
        <kbd>m</kbd> to measure.
      </p>
    );
  return (
    <Looks baseline={decision.data.baseline}>
      <Whole study={study} decision={decision.data} />
    </Looks>
  );
}

/** Where the same is read further; a guest sees what a link shows, and makes nothing new. */
function Further(props: { study: Study }) {
  const { study } = props;
  const guest = useSession().data?.study != null;
  const set = study.session_set.length > 1;
  return (
    <>
      {(set || !guest) && (
        <Link className="plain" to={`/studies/${study.id}/sessions`}>
          {set ? "all sessions beside each other" : "more sessions"}
        </Link>
      )}
      {!guest && (
        <Link className="plain" to={`/studies/${study.id}/job`}>
          over a day's work
        </Link>
      )}
      {study.second_factor && (
        <Link className="plain" to={`/studies/${study.id}/crossed`}>
          {study.factor} × {study.second_factor}
        </Link>
      )}
    </>
  );
}

function Whole(props: { study: Study; decision: Decision }) {
  const { decision, study } = props;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_376px]">
      <div tabIndex={0} className="min-h-0 overflow-auto px-6 pt-3 pb-10">
        <div className="flex items-baseline gap-4">
          <div className="flex-1">
            <h1 className="mr-4 inline font-semibold text-[15px]">
              {decision.extent}, against{" "}
              <VariantName
                index={decision.baseline}
                name={decision.variants[decision.baseline] ?? ""}
              />
            </h1>
            <span className="text-ink-2">
              better to the right · grey band: too small to matter · intervals of {decision.level}
            </span>
          </div>
          <div className="flex shrink-0 gap-4">
            <Further study={study} />
            <Link className="act" to={`/studies/${study.id}/ask#profiles`}>
              change profiles
            </Link>
          </div>
        </div>
        {decision.baseline === study.baseline && study.answers.length > 0 && (
          <div className="mt-2 border-b border-line pb-3">
            <Answers small answers={study.answers} variants={decision.variants} />
          </div>
        )}
        <Advice study={study} decision={decision} />
        <Places study={study} decision={decision} />
        <Contributions study={study} decision={decision} />
        <Costs study={study} decision={decision} />
      </div>
      <aside tabIndex={0} className="min-h-0 overflow-auto border-l border-line bg-card px-5 py-4">
        <Aside study={study} decision={decision} />
      </aside>
    </div>
  );
}
