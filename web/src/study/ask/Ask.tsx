/** Ask: the question, what is compared with what, what counts and for whom. All changed in place. */
import { Link, useNavigate } from "react-router";
import type { Study } from "../../api/client";
import { useAskChange, useNewStudy } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { InPlace } from "../../parts/InPlace";
import { moment } from "../../parts/words";
import { Claims } from "./Claims";
import { Counts } from "./Counts";
import { Profiles } from "./Profiles";
import { Share } from "./Share";
import { Variants } from "./Variants";

export function Ask(props: { study: Study }) {
  const { study } = props;
  const change = useAskChange(study.id);
  return (
    <div className="grid h-full grid-cols-[1fr_380px]">
      <div tabIndex={0} className="overflow-auto px-6 py-5">
        <h1>
          <InPlace
            label="question"
            value={study.question}
            maxLength={200}
            may={(text) => text !== ""}
            keep={(question) => change.mutate({ question })}
            className="w-full text-[22px] font-semibold"
          />
        </h1>
        <InPlace
          label="why it is asked"
          multiline
          value={study.why}
          maxLength={4000}
          placeholder="Why is this asked, and who waits for the answer?"
          keep={(why) => change.mutate({ why })}
          className="mt-1 w-full max-w-3xl resize-none text-[15px] text-ink-2"
        />
        <h2 className="mt-5 mb-1 font-semibold">What is compared</h2>
        <p className="mb-2 text-ink-2">
          {study.subject}, by {study.maker}. Only this is meant to differ:{" "}
          <InPlace
            label="factor"
            value={study.factor}
            maxLength={60}
            may={(text) => text !== ""}
            keep={(factor) => change.mutate({ factor })}
            className="w-32 border-b-line! text-ink"
          />
        </p>
        <Variants study={study} makeBaseline={(baseline) => change.mutate({ baseline })} />
        {change.error && (
          <p role="alert" className="mt-2 text-behind">
            {change.error.message}
          </p>
        )}
        <Claims study={study} />
        <Profiles study={study} />
        <Counts study={study} />
        <Workload study={study} />
      </div>
      <aside tabIndex={0} className="overflow-auto border-l border-line bg-card px-5 py-5">
        <p className="text-[12px] font-semibold text-brass">the answer so far</p>
        <p className="mt-1 text-[17px] leading-snug">
          {study.headline || "Nothing has been measured yet."}
        </p>
        <p className="mt-4 text-ink-2">
          Asked {moment(study.created)}. Write down what you expect before you look: a claim put up
          afterwards is only a description.
        </p>
        <p className="mt-5 flex gap-3">
          <Link className="button" to={`/studies/${study.id}/measure`}>
            Measure
          </Link>
          {study.metrics > 0 && (
            <>
              <Link className="button-quiet" to={`/studies/${study.id}/read`}>
                Read
              </Link>
              <Link className="button-quiet" to={`/studies/${study.id}/decide`}>
                Decide
              </Link>
            </>
          )}
        </p>
        <Share study={study} />
        <Acts>
          <Another study={study} />
        </Acts>
      </aside>
    </div>
  );
}

function Workload(props: { study: Study }) {
  const { study } = props;
  return (
    <>
      <h2 className="mt-7 mb-1 font-semibold">What the work is</h2>
      <p className="mb-2 text-ink-2">
        {study.script.title}.{" "}
        <Link className="plain" to={`/studies/${study.id}/script`}>
          Read the session script
        </Link>
      </p>
      <dl className="grid max-w-md grid-cols-[120px_1fr] gap-y-1">
        {Object.entries(study.script.facts).map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-ink-2">{name}</dt>
            <dd>{Number.isFinite(Number(value)) ? Number(value).toLocaleString("en") : value}</dd>
          </div>
        ))}
        {study.script.fixtures.map((name) => (
          <div key={name} className="contents">
            <dt className="text-ink-2">fixture</dt>
            <dd className="font-mono text-[12px]">{name}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}

/** Another question about the same variants, with the same session, plan and profiles. */
function Another(props: { study: Study }) {
  const make = useNewStudy();
  const navigate = useNavigate();
  const submit = (event: React.FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const question = String(new FormData(event.currentTarget).get("question") ?? "").trim();
    if (question)
      make.mutate(
        { like: props.study.id, question },
        { onSuccess: (made) => navigate(`/studies/${made.id}/ask`) },
      );
  };
  return (
    <form onSubmit={submit} className="mt-6 border-t border-line pt-4">
      <label className="font-semibold" htmlFor="another">
        Ask something else
      </label>
      <p className="mb-2 text-[12px] text-ink-2">
        A new study of the same variants, with this session, plan and what counts; no runs yet.
      </p>
      <div className="flex gap-2">
        <input
          id="another"
          name="question"
          className="field min-w-0 flex-1"
          maxLength={200}
          placeholder="Does it stay calm after an hour?"
        />
        <button type="submit" className="button-quiet" disabled={make.isPending}>
          Ask
        </button>
      </div>
      {make.error && (
        <p role="alert" className="mt-1 text-behind">
          {make.error.message}
        </p>
      )}
    </form>
  );
}
