/** All studies, each as one small rule, and what the rigs do now. */
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useDemonstration } from "../api/asking";
import type { StudySummary } from "../api/client";
import { useMayChange } from "../api/people";
import { useStudies } from "../api/queries";
import { Header } from "../app/Header";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { useOfferUndo } from "../parts/Undo";
import { Verdict } from "../parts/Verdict";
import { Looks, VariantName, variantColour } from "../parts/variants";
import { count, countWord } from "../parts/words";
import { SmallRule } from "../rule/SmallRule";
import { Begin } from "./Begin";
import { Rigs } from "./Rigs";

export function Home() {
  const studies = useStudies();
  const navigate = useNavigate();
  const [chosen, setChosen] = useState(0);
  const list = studies.data ?? [];
  const step = (by: number) => setChosen((now) => Math.max(0, Math.min(list.length - 1, now + by)));
  const open = () => {
    const study = list[chosen];
    if (study) navigate(`/studies/${study.id}`);
  };
  useKeys("Studies", [
    { keys: "j", does: "next study", act: () => step(1) },
    { keys: "k", does: "previous study", act: () => step(-1) },
    { keys: "Enter", does: "open the study", act: open },
  ]);
  const mayChange = useMayChange();
  if (studies.data?.length === 0) return <Begin empty />;
  return (
    <div className="flex min-h-full flex-col">
      <Header />
      {studies.isPending && <Waiting what="the studies" />}
      {studies.error && (
        <Trouble what="The list of studies" error={studies.error} again={() => studies.refetch()} />
      )}
      {studies.data && (
        <main className="flex-1">
          <div className="flex items-baseline gap-4 border-b border-line px-6 pt-5 pb-3">
            <h1 className="text-2xl font-semibold">{countWord(list.length, "study", "studies")}</h1>
            {list.length > 0 && (
              <p className="min-w-0 flex-1 text-ink-2">
                each tick is one metric; right of the line is better than the baseline, hollow is
                too small to matter or not sure
              </p>
            )}
            <nav aria-label="Workshop" className="flex gap-4">
              {["Subjects", "Rigs", "Fixtures", "People", "Put away"].map((name) => (
                <Link key={name} className="plain" to={`/${name.toLowerCase().replace(" ", "-")}`}>
                  {name}
                </Link>
              ))}
            </nav>
            {mayChange && (
              <Link className="button" to="/ask">
                Ask a question
              </Link>
            )}
          </div>
          <ul>
            {list.map((study, place) => (
              <StudyLine key={study.id} study={study} chosen={place === chosen} />
            ))}
          </ul>
          {list.some((study) => study.demonstration) && mayChange && <Demonstration />}
          <Below studies={list} />
        </main>
      )}
    </div>
  );
}

function StudyLine(props: { study: StudySummary; chosen: boolean }) {
  const { study } = props;
  const colour = study.state === "running" ? "text-brass" : "";
  return (
    <li
      className={`border-b border-line ${props.chosen ? "bg-card" : ""} ${study.demonstration ? "demonstration" : ""}`}
    >
      <Looks baseline={study.baseline}>
        <Link
          to={`/studies/${study.id}`}
          className="grid grid-cols-[minmax(190px,0.9fr)_334px_minmax(200px,1.2fr)_124px] items-center gap-4 px-6 py-3.5"
        >
          <div>
            <div className="text-[15px] font-semibold">{study.question}</div>
            <div className="text-ink-2">
              {study.demonstration && "demonstration: "}
              {study.subject || "no program chosen yet"}
              {study.variants.length > 0 && " · "}
              {study.variants.map((name, index) => (
                <span key={name}>
                  {index > 0 && ", "}
                  <VariantName index={index} name={name} />
                </span>
              ))}
            </div>
          </div>
          {study.ticks.length > 0 ? (
            <SmallRule ticks={study.ticks} variants={study.variants} baseline={study.baseline} />
          ) : (
            <span className="text-ink-2">no differences yet</span>
          )}
          <div>
            {study.headline ? `${study.headline}.` : "Nothing has been measured yet."}
            {study.standouts.map((one) => (
              <div
                key={`${one.variant}${one.verdict}`}
                className="mt-1 grid grid-cols-[64px_56px_1fr] items-baseline gap-1.5"
              >
                <span
                  className="truncate text-right font-dense font-semibold"
                  style={{ color: variantColour(one.variant) }}
                >
                  {study.variants[one.variant]}
                </span>
                <Verdict of={one.verdict} />
                <span>
                  {one.label} <span className="text-ink-2">{one.words}</span>
                </span>
              </div>
            ))}
          </div>
          <div className="text-right">
            <div className={`font-semibold ${colour}`}>{study.state}</div>
            <div className="text-[12px] text-ink-2">
              {study.runs_done} of {study.runs_total} runs
              {study.rigs.length > 0 && ` · ${study.rigs.join(", ")}`}
            </div>
            {study.troubles > 0 && (
              <div className="text-[12px] text-behind">{study.troubles} of them do not count</div>
            )}
          </div>
        </Link>
      </Looks>
    </li>
  );
}

/** The demonstration is put away with all that belongs to it in one act. */
function Demonstration() {
  const move = useDemonstration();
  const offer = useOfferUndo();
  const away = async () => {
    await move.mutateAsync("archived");
    offer({ text: "The demonstration was put away.", undo: () => move.mutate("active") });
  };
  return (
    <p className="border-b border-line px-6 py-2 text-ink-2">
      What is hatched at its edge is the demonstration, measured on another machine.{" "}
      <button type="button" className="act" disabled={move.isPending} onClick={away}>
        put the demonstration away
      </button>
    </p>
  );
}

function Below(props: { studies: StudySummary[] }) {
  const waiting = props.studies.filter((study) => study.match.unsettled + study.troubles > 0);
  return (
    <div className="grid grid-cols-[1fr_1.7fr_0.9fr] gap-6 px-6 py-5">
      <Rigs />
      <section className="border-l border-line pl-5">
        <h2 className="mb-2 font-semibold">Needs a person</h2>
        {waiting.length === 0 && (
          <p className="text-ink-2">nothing: every run counts, and all were measured alike</p>
        )}
        <ul>
          {waiting.map((study) => (
            <Waits key={study.id} study={study} />
          ))}
        </ul>
      </section>
      <section className="border-l border-line pl-5">
        <h2 className="mb-2 font-semibold">How to read a rule</h2>
        <p className="text-ink-2">
          The baseline stands in the middle. Every metric is turned so that better lies to the
          right; the scale is in factors. The grey band is too small to matter.
        </p>
      </section>
    </div>
  );
}

/** What of a study waits for a word: differences to settle, runs that do not count. */
function Waits(props: { study: StudySummary }) {
  const { match, troubles, id, question } = props.study;
  return (
    <li>
      <span className="text-ink-2">{question}</span>{" "}
      {match.unsettled > 0 && (
        <Link
          className={`plain whitespace-nowrap ${match.grave ? "text-behind" : ""}`}
          to={`/studies/${id}/match`}
        >
          {match.grave
            ? `${count(match.grave, "difference")} ${match.grave === 1 ? "holds" : "hold"} verdicts back`
            : `${count(match.unsettled, "difference")} to settle`}
        </Link>
      )}
      {match.unsettled > 0 && troubles > 0 && ", "}
      {troubles > 0 && (
        <Link className="plain whitespace-nowrap" to={`/studies/${id}/measure`}>
          {count(troubles, "run")} did not finish or were disturbed
        </Link>
      )}
    </li>
  );
}
