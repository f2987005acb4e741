/** All studies, each as one small rule, and what the rigs do now. */
import { useMemo, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { useDemonstration } from "../api/asking";
import type { StudySummary } from "../api/client";
import { useMayChange } from "../api/people";
import { useStudies } from "../api/queries";
import { Header } from "../parts/Header";
import { useKeys } from "../parts/keyboard";
import { useNarrow } from "../parts/narrow";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, countWord } from "../parts/text";
import { useOfferUndo } from "../parts/Undo";
import { Begin } from "./Begin";
import { inOrder, nextOrder, ORDERS, type Order, orderOf } from "./order";
import { PhoneHome } from "./PhoneHome";
import { Rigs } from "./Rigs";
import { AnswersHead, StudyAnswers } from "./StudyAnswers";

/** From so many studies on each takes as few lines as its answers; the chosen one shows all. */
const MANY = 12;

export function Home() {
  const studies = useStudies();
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const [chosen, setChosen] = useState(0);
  const order = orderOf(search.get("order"));
  const list = useMemo(() => inOrder(studies.data ?? [], order), [studies.data, order]);
  const setOrder = (name: Order) => {
    setSearch(name === "new" ? {} : { order: name }, { replace: true });
    setChosen(0);
  };
  const step = (by: number) => setChosen((now) => Math.max(0, Math.min(list.length - 1, now + by)));
  const open = () => {
    const study = list[chosen];
    if (study) navigate(`/studies/${study.id}`);
  };
  useKeys("Studies", [
    { keys: "j", does: "next study", act: () => step(1) },
    { keys: "k", does: "previous study", act: () => step(-1) },
    { keys: "Enter", does: "open the study", act: open },
    {
      keys: "s",
      does: "sort: newest first, what needs a person, what changed last",
      act: () => setOrder(nextOrder(order)),
    },
  ]);
  const mayChange = useMayChange();
  const narrow = useNarrow();
  if (studies.data?.length === 0) return <Begin empty />;
  return (
    <div className="flex min-h-full flex-col">
      <Header />
      {studies.isPending && <Waiting what="the studies" />}
      {studies.error && (
        <Trouble what="The list of studies" error={studies.error} again={() => studies.refetch()} />
      )}
      {studies.data && narrow && <PhoneHome studies={list} />}
      {studies.data && !narrow && (
        <main className="flex-1">
          <div className="flex items-baseline gap-4 px-6 pt-5 pb-3">
            <h1 className="text-2xl font-semibold">{countWord(list.length, "study", "studies")}</h1>
            {list.length > 1 && <Sorting order={order} choose={setOrder} />}
            <span className="flex-1" />
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
          {list.length > 0 && <AnswersHead />}
          <ul>
            {list.map((study, place) => (
              <StudyAnswers
                key={study.id}
                study={study}
                chosen={place === chosen}
                compact={list.length > MANY}
              />
            ))}
          </ul>
          {list.some((study) => study.demonstration) && mayChange && <Demonstration />}
          <Below studies={list} />
        </main>
      )}
    </div>
  );
}

/** In which order the studies stand. */
function Sorting(props: { order: Order; choose: (order: Order) => void }) {
  return (
    <fieldset className="flex gap-3">
      <legend className="sr-only">order of the studies</legend>
      {(Object.keys(ORDERS) as Order[]).map((name) => (
        <button
          key={name}
          type="button"
          aria-pressed={props.order === name}
          className={
            props.order === name
              ? "border-b-2 border-brass font-semibold"
              : "border-b-2 border-transparent text-brass"
          }
          onClick={() => props.choose(name)}
        >
          {ORDERS[name]}
        </button>
      ))}
    </fieldset>
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
  const waiting = props.studies.filter(
    (study) => study.match.open + study.troubles + study.unread > 0,
  );
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
        <h2 className="mb-2 font-semibold">How to read a row</h2>
        <p className="text-ink-2">
          The bar is the interval of what decides, better to the right; grey is too small to matter.
          Below it a tick stands for each metric, hollow where it is level or open. Right of it, by
          family: how many are behind, left of the line, and ahead, right of it.
        </p>
      </section>
    </div>
  );
}

/** What of a study waits for a word: differences to settle, runs that do not count. */
function Waits(props: { study: StudySummary }) {
  const { match, troubles, unread, id, question } = props.study;
  return (
    <li>
      <span className="text-ink-2">{question}</span>{" "}
      {match.open > 0 && (
        <Link
          className={`plain whitespace-nowrap ${match.grave ? "text-behind" : ""}`}
          to={`/studies/${id}/match`}
        >
          {match.grave
            ? `${count(match.grave, "difference")} ${match.grave === 1 ? "holds" : "hold"} verdicts back`
            : `${count(match.open, "difference")} to settle`}
        </Link>
      )}
      {match.open > 0 && troubles > 0 && ", "}
      {troubles > 0 && (
        <Link className="plain whitespace-nowrap" to={`/studies/${id}/measure`}>
          {count(troubles, "run")} did not finish or were disturbed
        </Link>
      )}
      {unread > 0 && (
        <Link className="plain whitespace-nowrap text-behind" to={`/studies/${id}/measure`}>
          , {count(unread, "run")} could not be read
        </Link>
      )}
    </li>
  );
}
