/** Beside the decision: caveats, claims, other sessions, and what would settle the rest. */
import { Link } from "react-router";
import type { Decision, Schemas, Study } from "../../api/client";
import { count } from "../../parts/text";
import { VariantName } from "../../parts/variants";
import { ClaimLine } from "../ask/ClaimLine";
import { Caveat } from "../Caveat";
import { readLink } from "./links";

export function Aside(props: { study: Study; decision: Decision }) {
  const { decision, study } = props;
  return (
    <>
      {decision.notes.length > 0 && (
        <section className="mb-4">
          <h2 className="font-semibold text-behind">Not to be concluded</h2>
          <ul>
            {decision.notes.map((note) => (
              <li key={note.text} className="border-b border-line-2 py-1">
                <Caveat of={note} />
              </li>
            ))}
          </ul>
        </section>
      )}
      <Unsettled study={study} decision={decision} />
      {decision.growing.length > 0 && (
        <section className="mt-5">
          <h2 className="font-semibold">Memory over a working day</h2>
          <ul>
            {decision.growing.map((text) => (
              <li key={text} className="border-b border-line-2 py-1">
                {text}
              </li>
            ))}
          </ul>
        </section>
      )}
      <section className="mt-5">
        <h2 className="font-semibold">Claims</h2>
        {decision.claims.length === 0 && (
          <p className="text-ink-2">
            None was put to the test.{" "}
            <Link className="plain" to={`/studies/${study.id}/ask`}>
              Put one up
            </Link>
          </p>
        )}
        <ul>
          {decision.claims.map((claim) => (
            <li key={claim.id} className="border-b border-line-2 py-1.5">
              <ClaimLine claim={claim} to={readLink(study, decision, claim)} />
            </li>
          ))}
        </ul>
      </section>
      <OverSessions decision={decision} />
    </>
  );
}

/** Open main metrics, and how many rounds should decide them. */
function Unsettled(props: { study: Study; decision: Decision }) {
  const { decision, study } = props;
  const open = decision.unsettled;
  const most = Math.max(0, ...open.map((one) => one.rounds ?? 0));
  const held = open.filter((one) => one.verdict_withheld).length;
  const what = decision.rounds ? "rounds" : "runs";
  const free = open.filter((one) => !one.verdict_withheld);
  const never = free.filter((one) => one.futility).length;
  const unknown = free.filter((one) => one.rounds === null).length - never;
  return (
    <section>
      <h2 className="font-semibold">What is still open, and what would decide it</h2>
      {open.length === 0 ? (
        <p className="text-ink-2">Nothing: every main metric is decided.</p>
      ) : (
        <p>
          {count(open.length, "difference")} of main metrics {open.length === 1 ? "is" : "are"}{" "}
          open.{" "}
          {decision.rounds === 0 &&
            most > 0 &&
            `About ${most} runs of each in all should decide ${never + unknown ? "those that can be" : "them"}. `}
          {decision.rounds > 0 &&
            most > decision.rounds &&
            `About ${most - decision.rounds} more rounds should decide ${never + unknown ? "those that can be" : "them"}. `}
          {unknown > 0 &&
            `${unknown === open.length ? "Nobody can say yet" : `For ${unknown} nobody can say yet`} how many ${what} that takes. `}
          {never > 0 && `${never} cannot be decided by any sensible number of ${what}. `}
          {held > 0 &&
            `${held === open.length ? `No number of ${what} decides` : `${held} are held back: no number of ${what} decides`} what was not measured alike. `}
          {held > 0 && (
            <Link className="plain mr-2" to={`/studies/${study.id}/match`}>
              Settle it
            </Link>
          )}
          {held < open.length && (
            <Link className="plain" to={`/studies/${study.id}/measure`}>
              Measure
            </Link>
          )}
        </p>
      )}
      <ul>
        {open.map((one) => (
          <Open key={`${one.candidate}${one.label}`} study={study} decision={decision} one={one} />
        ))}
      </ul>
    </section>
  );
}

function Open(props: { study: Study; decision: Decision; one: Schemas["Unsettled"] }) {
  const { decision, one, study } = props;
  return (
    <li className="border-b border-line-2 py-1">
      <Link className="hover:underline" to={readLink(study, decision, one)}>
        <VariantName index={one.candidate} name={decision.variants[one.candidate] ?? ""} />{" "}
        {one.label}
      </Link>{" "}
      <span className="block text-[12px] text-ink-2">
        <Caveat of={one.why} />
        {one.rounds !== null && `; about ${one.rounds} rounds in all`}
      </span>
    </li>
  );
}

/** The same variants in other sessions: their mean, for these sessions and in general. */
function OverSessions(props: { decision: Decision }) {
  const { decision } = props;
  if (!decision.over_sessions.length) return null;
  return (
    <section className="mt-5">
      <h2 className="font-semibold">Over all sessions of these variants</h2>
      {decision.over_sessions.map((over) => (
        <div key={over.candidate} className="mt-1">
          <p>
            <VariantName index={over.candidate} name={decision.variants[over.candidate] ?? ""} />{" "}
            {over.these || "has no interval in every session"}
            <span className="text-ink-2"> for these {over.sessions.length} sessions</span>
          </p>
          <p className="text-[12px] text-ink-2">
            {over.general
              ? `${over.general} for sessions in general`
              : "Fewer than three sessions say nothing of sessions in general."}
          </p>
          <ul className="mt-1 text-[12px] text-ink-2">
            {over.sessions.map((session) => (
              <li key={session.study}>
                <Link className="plain" to={`/studies/${session.study}/decide`}>
                  {session.question}
                </Link>{" "}
                {session.factor_text}
              </li>
            ))}
          </ul>
        </div>
      ))}
    </section>
  );
}
