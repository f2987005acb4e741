/** A study: its notches on a brass rule, and the page of the chosen one. */
import { lazy, Suspense } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Study } from "../api/client";
import { useStudy } from "../api/queries";
import { Header } from "../parts/Header";
import { useKeys } from "../parts/keyboard";
import { NotchRule } from "../parts/NotchRule";
import { useNarrow } from "../parts/narrow";
import { Trouble, Waiting } from "../parts/Trouble";
import { count } from "../parts/text";
import { Looks } from "../parts/variants";
import { SetAbove } from "../sessions/SetAbove";
import { Ask } from "./ask/Ask";
import { askedInShort } from "./ask/readiness";
import { Decide } from "./decide/Decide";
import { Match } from "./match/Match";
import { inShort } from "./match/parityStatus";
import { Measure } from "./measure/Measure";
import { PhoneLive } from "./measure/PhoneLive";
import { Read } from "./read/Read";
import { SessionStrip } from "./SessionStrip";
import { PhoneReport } from "./say/PhoneReport";
import { Say } from "./say/Say";
import { WaitingNumbers } from "./WaitingNumbers";

// The editor is large and most visits do not need it.
const ScriptNotch = lazy(() =>
  import("./script/ScriptNotch").then((module) => ({ default: module.ScriptNotch })),
);

interface Notch {
  id: string;
  name: string;
  key: string;
  state: (study: Study) => string;
  page: (props: { study: Study }) => React.ReactNode;
}

const done = (study: Study) =>
  study.runs.filter((run) => run.state === "measured" || run.state === "read").length;
const wanted = (study: Study) => study.runs.filter((run) => run.state !== "withdrawn").length;

/** In the order of the work. */
export const NOTCHES: Notch[] = [
  {
    id: "ask",
    name: "Ask",
    key: "a",
    state: (study) => askedInShort(study),
    page: Ask,
  },
  {
    id: "match",
    name: "Match",
    key: "t",
    state: (study) => inShort(study.match),
    page: Match,
  },
  {
    id: "script",
    name: "Script",
    key: "s",
    state: (study) => `v${study.script.number} · ${count(study.script.steps.length, "step")}`,
    page: ScriptNotch,
  },
  {
    id: "measure",
    name: "Measure",
    key: "m",
    state: (study) => `${done(study)} of ${wanted(study)} runs`,
    page: Measure,
  },
  {
    id: "read",
    name: "Read",
    key: "r",
    state: (study) => (study.metrics ? count(study.metrics, "metric") : "nothing yet"),
    page: Read,
  },
  {
    id: "decide",
    name: "Decide",
    key: "d",
    state: (study) => (study.metrics ? count(study.profiles, "profile") : "nothing yet"),
    page: Decide,
  },
  {
    id: "say",
    name: "Say",
    key: "y",
    state: (study) => (study.metrics ? `draft of no. ${study.reports + 1}` : "nothing yet"),
    page: Say,
  },
];

export function StudyPage() {
  const params = useParams();
  const id = Number(params.study);
  const study = useStudy(id);
  const navigate = useNavigate();
  const fallback = study.data && study.data.metrics > 0 ? "read" : "ask";
  const notch = NOTCHES.find((n) => n.id === (params.notch ?? fallback));
  useKeys("Notches", [
    ...NOTCHES.map((n) => ({
      keys: `g ${n.key}`,
      does: n.name,
      act: () => navigate(`/studies/${id}/${n.id}`),
    })),
    {
      keys: "g n",
      does: "all sessions beside each other",
      act: () => navigate(`/studies/${id}/sessions`),
    },
    {
      keys: "g x",
      does: "two factors crossed",
      act: () => navigate(`/studies/${id}/crossed`),
    },
    { keys: "g w", does: "what works with what", act: () => navigate(`/studies/${id}/works`) },
    { keys: "g c", does: "Race", act: () => navigate(`/studies/${id}/race`) },
    { keys: "Escape", does: "back to all studies", act: () => navigate("/") },
  ]);
  const narrow = useNarrow();
  if (narrow && study.data && notch?.id === "measure")
    return (
      <Looks baseline={study.data.baseline}>
        <PhoneLive study={study.data} />
      </Looks>
    );
  if (narrow && study.data && notch?.id === "say")
    return (
      <Looks baseline={study.data.baseline}>
        <PhoneReport study={study.data} />
      </Looks>
    );
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>
        {study.data && (
          <>
            {study.data.subject && (
              <>
                {study.data.subject} <span className="px-1">/</span>{" "}
              </>
            )}
            <span className="font-semibold text-head-ink">{study.data.question}</span>
          </>
        )}
      </Header>
      {study.isPending && <Waiting what="the study" />}
      {study.error && (
        <Trouble what="This study" error={study.error} again={() => study.refetch()} />
      )}
      {study.data && notch && (
        <>
          <NotchRule
            label="Notches of the study"
            chosen={notch.id}
            notches={NOTCHES.map((one) => ({
              id: one.id,
              name: one.name,
              state: one.state(study.data),
              to: `/studies/${study.data.id}/${one.id}`,
            }))}
          />
          <SessionStrip study={study.data} notch={notch.id} />
          <WaitingNumbers study={study.data} />
          <Looks baseline={study.data.baseline}>
            {(notch.id === "read" || notch.id === "decide") && <SetAbove study={study.data} />}
            <main className="min-h-0 flex-1">
              <Suspense fallback={<Waiting what="the editor" />}>
                <notch.page study={study.data} />
              </Suspense>
            </main>
          </Looks>
        </>
      )}
      {study.data && !notch && (
        <p className="p-6">
          A study has no notch of this name.{" "}
          <Link className="plain" to={`/studies/${id}`}>
            Back to the study
          </Link>
        </p>
      )}
    </div>
  );
}
