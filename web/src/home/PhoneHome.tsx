/** All studies in one hand: each question with its answer in sentences, and what runs now. */
import { Link } from "react-router";
import type { StudySummary } from "../api/client";
import { Answers } from "../parts/Answers";
import { Looks } from "../parts/variants";

export function PhoneHome(props: { studies: StudySummary[] }) {
  return (
    <main className="flex-1">
      <h1 className="sr-only">Studies</h1>
      <ul>
        {props.studies.map((study) => (
          <li
            key={study.id}
            className={`border-b border-line px-4 py-3 ${study.demonstration ? "demonstration" : ""}`}
          >
            <Looks baseline={study.baseline}>
              <Link to={`/studies/${study.id}/measure`} className="block">
                <p className="text-[15px] font-semibold">{study.question}</p>
                <p className="mb-1 text-[12px] text-ink-2">
                  <span className={study.state === "running" ? "font-semibold text-brass" : ""}>
                    {study.state}
                  </span>
                  , {study.runs_done} of {study.runs_total} runs
                  {study.demonstration && " · demonstration"}
                </p>
                <Answers small answers={study.answers} variants={study.variants} />
                {study.answers.length === 0 && (
                  <p className="text-ink-2">
                    {study.headline ? `${study.headline}.` : "Nothing has been measured yet."}
                  </p>
                )}
              </Link>
            </Looks>
          </li>
        ))}
      </ul>
    </main>
  );
}
