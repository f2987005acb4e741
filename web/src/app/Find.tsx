/** `/` finds: type a few letters of a study, a notch or a rig's run, and go there. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useRigs, useStudies } from "../api/queries";
import { useKeys } from "../parts/keyboard";
import { NOTCHES } from "../study/StudyPage";
import { bestFirst, type Goal } from "./goals";

export function Find() {
  const [open, setOpen] = useState(false);
  useKeys("Find", [{ keys: "/", does: "find and go", act: () => setOpen(true) }]);
  return open ? <FindLine close={() => setOpen(false)} /> : null;
}

function FindLine(props: { close: () => void }) {
  const studies = useStudies();
  const rigs = useRigs();
  const navigate = useNavigate();
  const [text, setText] = useState("");
  const goals: Goal[] = [
    { name: "All studies", to: "/" },
    ...(studies.data ?? []).flatMap((study) =>
      NOTCHES.map((notch) => ({
        name: `${study.question} · ${notch.name}`,
        to: `/studies/${study.id}/${notch.id}`,
      })),
    ),
    ...(rigs.data ?? [])
      .filter((rig) => rig.run)
      .map((rig) => ({ name: `Run ${rig.run}, now on ${rig.name}`, to: `/runs/${rig.run}` })),
  ];
  const found = bestFirst(goals, text).slice(0, 9);
  return (
    <Combobox
      immediate
      value={null}
      onChange={(goal: Goal | null) => {
        if (!goal) return;
        props.close();
        navigate(goal.to);
      }}
    >
      <div className="fixed top-14 left-1/2 z-50 w-[520px] -translate-x-1/2 border border-brass bg-card shadow-lg">
        <ComboboxInput
          autoFocus
          aria-label="Find a study, a notch or a run"
          placeholder="Find a study, a notch, a run …"
          className="w-full bg-transparent px-4 py-2.5 text-[15px]"
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && props.close()}
          onBlur={props.close}
        />
        <ComboboxOptions static modal={false} className="max-h-80 overflow-auto pb-1">
          {found.map((goal) => (
            <ComboboxOption
              key={goal.to}
              value={goal}
              className="cursor-pointer px-4 py-1 data-focus:bg-brass-soft"
            >
              {goal.name}
            </ComboboxOption>
          ))}
          {found.length === 0 && (
            <p className="px-4 py-2 text-ink-2">Nothing here is called that.</p>
          )}
        </ComboboxOptions>
      </div>
    </Combobox>
  );
}
