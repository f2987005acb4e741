/** The answer to a study's question, in sentences: what decides, candidate by candidate. */
import type { Schemas } from "../api/client";
import { Verdict } from "./Verdict";
import { VariantName } from "./variants";

type Answer = Schemas["Answer"];

/** An answer with its amount in bold: Not known yet: open takes **38 ms less**, 4 % less. */
export function AnswerSentence(props: { answer: Answer; className?: string }) {
  const { answer } = props;
  if (answer.why)
    return (
      <span className="text-ink-2">
        {answer.lead}
        {answer.subject}: {answer.why}
      </span>
    );
  const own = answer.detail.startsWith("(");
  return (
    <span className={props.className ?? "text-[15px] leading-snug"}>
      {answer.lead}
      {answer.subject} <b>{answer.change}</b>
      {own ? " " : ", "}
      <span className="text-[13px] text-ink-2">{answer.detail}</span>
    </span>
  );
}

/** All answers of a study, each with its candidate and verdict; nothing where there are none. */
export function Answers(props: { answers: Answer[]; variants: string[]; small?: boolean }) {
  const size = props.small ? "" : "text-[17px] leading-snug";
  return (
    <ul aria-label="the answer" className={props.small ? "space-y-0.5" : "space-y-1.5"}>
      {props.answers.map((answer) => (
        <li key={`${answer.candidate}${answer.metric}${answer.stretch.join()}`}>
          <VariantName index={answer.candidate} name={props.variants[answer.candidate] ?? ""} />{" "}
          <Verdict of={answer.verdict} /> <AnswerSentence answer={answer} className={size} />
        </li>
      ))}
    </ul>
  );
}
