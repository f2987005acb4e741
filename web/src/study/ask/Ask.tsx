/** Ask: the question, what is compared, what is meant to differ. */
import { Link } from "react-router";
import type { Study } from "../../api/client";
import { VariantName } from "../../parts/variants";
import { moment } from "../../parts/words";
import { Claims } from "./Claims";

export function Ask(props: { study: Study }) {
  const { study } = props;
  return (
    <div className="grid h-full grid-cols-[1fr_380px]">
      <div tabIndex={0} className="overflow-auto px-6 py-6">
        <h1 className="text-[22px] font-semibold">{study.question}</h1>
        {study.why && <p className="mt-2 max-w-2xl text-[15px] text-ink-2">{study.why}</p>}
        <h2 className="mt-8 mb-1 font-semibold">What is compared</h2>
        <p className="mb-2 text-ink-2">
          {study.subject}, by {study.maker}. Only the {study.factor} is meant to differ.
        </p>
        <table className="w-full max-w-3xl text-left">
          <thead>
            <tr className="border-b border-line text-[12px] text-ink-2">
              <th className="py-1 font-normal">variant</th>
              <th className="font-normal">part</th>
              <th className="font-normal">what a rig starts</th>
              <th className="text-right font-normal">runs that finished</th>
            </tr>
          </thead>
          <tbody>
            {study.variants.map((variant) => {
              const runs = study.runs.filter((run) => run.variant === variant.position);
              const finished = runs.filter((run) => run.outcome === "finished").length;
              return (
                <tr key={variant.name} className="border-b border-line-2">
                  <td className="py-2">
                    <VariantName index={variant.position} name={variant.name} />
                  </td>
                  <td>{variant.position === 0 ? "baseline" : "candidate"}</td>
                  <td className="font-mono text-[12px]">{variant.program}</td>
                  <td className="text-right">
                    {finished} of {runs.length}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <Claims study={study} />
        <h2 className="mt-8 mb-1 font-semibold">What the work is</h2>
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
      </div>
      <aside tabIndex={0} className="overflow-auto border-l border-line bg-card px-5 py-6">
        <p className="text-[12px] font-semibold text-brass">the answer so far</p>
        <p className="mt-1 text-[17px] leading-snug">
          {study.headline || "Nothing has been measured yet."}
        </p>
        <p className="mt-4 text-ink-2">
          Asked {moment(study.created)}. A round lets every variant run once, in an order that
          changes from round to round, so that a machine that warms up favours none.
        </p>
        <p className="mt-5 flex gap-3">
          <Link className="button" to={`/studies/${study.id}/measure`}>
            Measure
          </Link>
          {study.metrics > 0 && (
            <Link className="button-quiet" to={`/studies/${study.id}/read`}>
              Read
            </Link>
          )}
        </p>
      </aside>
    </div>
  );
}
