/** The recommendation for each profile, with its gain on the rule, its limits and its reasons. */
import { Link } from "react-router";
import type { Decision, Schemas, Study } from "../../api/client";
import { Verdict } from "../../parts/Verdict";
import { variantColour } from "../../parts/variants";
import { reachFor, ruleScale } from "../../rule/scale";
import { GainRule } from "./GainRule";
import { readLink } from "./links";

const WIDTH = 300;
type One = Schemas["Advice"];

const STYLES: Record<One["recommendation"], string> = {
  take: "verdict-ahead",
  stay: "verdict-level",
  "no recommendation": "verdict-open",
};

export function Advice(props: { study: Study; decision: Decision }) {
  const { decision, study } = props;
  if (!decision.advice.length)
    return (
      <p className="mt-4 max-w-2xl text-[15px]">
        {decision.headline}. For a recommendation, say who it is for and what counts for them:{" "}
        <Link className="plain" to={`/studies/${study.id}/ask#profiles`}>
          add a profile
        </Link>
        .
      </p>
    );
  return (
    <ul className="mt-2">
      {decision.advice.map((advice) => (
        <Recommendation key={advice.id} study={study} decision={decision} advice={advice} />
      ))}
    </ul>
  );
}

function Recommendation(props: { study: Study; decision: Decision; advice: One }) {
  const { advice, decision, study } = props;
  const gains = advice.scores.map((score) => ({ ...score, open: score.verdict === "open" }));
  const reach = reachFor(
    advice.scores.flatMap((score) => [score.gain ?? 0, score.low ?? 0, score.high ?? 0]),
  );
  const limits = advice.scores.flatMap((score) =>
    score.limits.map((limit) => ({ ...limit, variant: score.variant })),
  );
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_440px] gap-5 border-t border-line py-3 first:border-t-0">
      <div>
        <p className="text-[12px] text-ink-2">
          <span className="font-semibold text-brass">{advice.profile}</span> {advice.about}
        </p>
        <p className="mt-0.5 text-[17px] leading-snug">
          <span className={`verdict mr-1.5 align-[2px] ${STYLES[advice.recommendation]}`}>
            {advice.recommendation}
          </span>
          {capital(advice.sentence.replace(/^no recommendation yet: /, ""))}
        </p>
        <ul className="mt-1.5 text-[12px] text-ink-2">
          {advice.reasons.map((reason) => (
            <li key={reason.text}>
              <Link className="hover:underline" to={readLink(study, decision, reason)}>
                {reason.text}
              </Link>
            </li>
          ))}
        </ul>
      </div>
      <div>
        <div className="grid grid-cols-[124px_1fr] gap-2">
          <div className="pt-4">
            {advice.scores.map((score) => (
              <div
                key={score.variant}
                className="grid grid-cols-[1fr_56px] items-center gap-1"
                style={{ height: 18 }}
              >
                <span
                  className="truncate text-right font-dense text-[12px] font-semibold"
                  style={{ color: variantColour(score.variant) }}
                >
                  {decision.variants[score.variant]}
                </span>
                <Verdict of={score.verdict} />
              </div>
            ))}
          </div>
          <GainRule
            gains={gains}
            scale={ruleScale(WIDTH, reach)}
            band={advice.scores.find((score) => score.band !== null)?.band ?? null}
            width={WIDTH}
            name={`weighted gain for ${advice.profile}`}
          />
        </div>
        <ul className="mt-1 ml-[132px] text-[12px]">
          {limits.map((limit) => (
            <li key={`${limit.variant}${limit.metric}${limit.stretch.join("~")}`}>
              <span
                className={
                  limit.state === "broken"
                    ? "font-semibold text-behind"
                    : limit.state === "kept"
                      ? "text-ahead"
                      : "text-ink-2"
                }
              >
                {limit.state === "not known" ? "not known" : `limit ${limit.state}`}
              </span>{" "}
              <span className="font-dense font-semibold">{decision.variants[limit.variant]}</span>{" "}
              <Link className="text-ink-2 hover:underline" to={readLink(study, decision, limit)}>
                {limit.text}
              </Link>
            </li>
          ))}
        </ul>
      </div>
    </li>
  );
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
