/** `/` finds: type a few letters of a page, a metric, a run, a script line or an act, and be there. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useState } from "react";
import { useMatch, useNavigate } from "react-router";
import { useMayChange } from "../api/people";
import {
  useBoard,
  useMeasure,
  usePlan,
  useRigs,
  useStartPlan,
  useStop,
  useStudies,
  useStudy,
} from "../api/queries";
import { useFixtures } from "../api/workshop";
import { useKeys, useShownKeys } from "../parts/keyboard";
import { NOTCHES } from "../study/StudyPage";
import { bestFirst, type Goal, goalsInStudy, keysAsGoals } from "./goals";

const SHOWN = 10;

export function Find() {
  const [open, setOpen] = useState(false);
  useKeys("Find", [{ keys: "/", does: "find and go", act: () => setOpen(true) }]);
  return open ? <FindLine close={() => setOpen(false)} /> : null;
}

const PAGES: Goal[] = [
  { kind: "page", name: "All studies", to: "/" },
  ...["Subjects", "Rigs", "Fixtures", "People", "Put away"].map((name) => ({
    kind: "page",
    name,
    to: `/${name.toLowerCase().replace(" ", "-")}`,
  })),
  { kind: "act", name: "Ask a question", to: "/ask" },
];

/** Everything that can be found from here: in a study its own things stand before all others. */
function useGoals(): Goal[] {
  const here = Number(useMatch("/studies/:study/*")?.params.study ?? 0);
  const studies = useStudies();
  const rigs = useRigs();
  const fixtures = useFixtures();
  const keys = useShownKeys();
  return [
    ...useStudyGoals(here),
    ...keysAsGoals(keys),
    ...PAGES,
    ...(studies.data ?? []).flatMap((study) =>
      NOTCHES.map((notch) => ({
        kind: "page",
        name: `${study.question} · ${notch.name}`,
        to: `/studies/${study.id}/${notch.id}`,
      })),
    ),
    ...(rigs.data ?? []).map((rig) =>
      rig.run
        ? { kind: "run", name: `Run ${rig.run}, now on ${rig.name}`, to: `/runs/${rig.run}` }
        : { kind: "rig", name: rig.name, to: `/rigs/${rig.name}` },
    ),
    ...(fixtures.data ?? []).map((fixture) => ({
      kind: "fixture",
      name: fixture.name,
      to: `/fixtures?file=${encodeURIComponent(fixture.name)}`,
    })),
  ];
}

/** The metrics, runs and script lines of a study, and what can be done in it from any notch. */
function useStudyGoals(id: number): Goal[] {
  const study = useStudy(id, id > 0);
  const board = useBoard(id, undefined, id > 0);
  const plan = usePlan(id, id > 0);
  const measure = useMeasure(id);
  const start = useStartPlan(id);
  const stop = useStop(id);
  const mayChange = useMayChange();
  if (!study.data) return [];
  const under = study.data.runs.some((run) => run.state === "queued" || run.state === "running");
  const acts: Goal[] = mayChange
    ? [
        { kind: "act", name: "Measure another round", act: () => measure.mutate(1) },
        ...(plan.data && !["running", "ended"].includes(plan.data.state)
          ? [{ kind: "act", name: "Start the plan", act: () => start.mutate(undefined) }]
          : []),
        ...(under
          ? [
              { kind: "act", name: "Stop after this run", act: () => stop.mutate(true) },
              { kind: "act", name: "Stop all runs", act: () => stop.mutate(false) },
            ]
          : []),
      ]
    : [];
  return [...acts, ...goalsInStudy(study.data, board.data)];
}

function FindLine(props: { close: () => void }) {
  const navigate = useNavigate();
  const [text, setText] = useState("");
  const found = bestFirst(useGoals(), text);
  return (
    <Combobox
      immediate
      value={null}
      onChange={(goal: Goal | null) => {
        if (!goal) return;
        props.close();
        if (goal.act) goal.act();
        else if (goal.to) navigate(goal.to);
      }}
    >
      <div className="fixed top-14 left-1/2 z-50 w-[620px] max-w-[94vw] -translate-x-1/2 border border-brass bg-card shadow-lg">
        <ComboboxInput
          autoFocus
          aria-label="Find a page, a metric, a run, a script line or an act"
          placeholder="A page, a metric, a run, a script line, something to do …"
          className="w-full bg-transparent px-4 py-2.5 text-[15px]"
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && props.close()}
          onBlur={props.close}
        />
        <ComboboxOptions static modal={false} className="max-h-96 overflow-auto pb-1">
          {found.slice(0, SHOWN).map((goal) => (
            <ComboboxOption
              key={`${goal.kind} ${goal.to ?? ""} ${goal.name}`}
              value={goal}
              className="flex cursor-pointer items-baseline gap-3 px-4 py-1 data-focus:bg-brass-soft"
            >
              <span className="min-w-0 flex-1 truncate">{goal.name}</span>
              <span className="text-[12px] text-ink-2">{goal.kind}</span>
            </ComboboxOption>
          ))}
          {found.length > SHOWN && text !== "" && (
            <p className="px-4 py-1 text-[12px] text-ink-2">
              and {found.length - SHOWN} more: type on
            </p>
          )}
          {found.length === 0 && (
            <p className="px-4 py-2 text-ink-2">Nothing here is called that.</p>
          )}
        </ComboboxOptions>
      </div>
    </Combobox>
  );
}
