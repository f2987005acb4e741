/** The program that a question is about: chosen once, then named and renamed where it stands. */
import { useState } from "react";
import { useNewVariant, useProgramOfStudy } from "../../api/asking";
import type { Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useAskChange, useRigs } from "../../api/queries";
import { useSubjects } from "../../api/workshop";
import { InPlace } from "../../parts/InPlace";
import { SheetPart } from "../../parts/Sheet";
import { isThere } from "../../workshop/apart";
import { WAYS, type Wanted, type Way, WayIn } from "./WaysIn";

/** Says what is wanted: the program's name where it has none yet, then its variants. */
export function useTake(study: Study, rig: string | undefined) {
  const ask = useAskChange(study.id);
  const rigs = useRigs();
  const name = useProgramOfStudy(study.id);
  const add = useNewVariant(study.id);
  const subjects = useSubjects();
  const take = async (wanted: Wanted) => {
    try {
      // Of several rigs the one whose programs are shown is meant.
      if (rig && !study.rig && (rigs.data ?? []).filter(isThere).length > 1)
        await ask.mutateAsync({ rig });
      const program = study.subject ? undefined : wanted.program.slice(0, 120);
      for (const variant of wanted.variants) await add.mutateAsync({ ...variant, program });
      // Two programs are compared: the question is about both, as an earlier one may be.
      const both = `${study.subject} and ${wanted.program}`.slice(0, 120);
      const isAnother = wanted.installed && wanted.program !== study.subject;
      const taken = (subjects.data ?? []).some((one) => one.name === both);
      if (study.variants.length === 1 && isAnother && !taken)
        await name.mutateAsync({ name: both });
    } catch {
      // What happened stands beside what was asked for.
    }
  };
  return {
    take,
    busy: ask.isPending || name.isPending || add.isPending,
    error: ask.error ?? name.error ?? add.error,
  };
}

export function ProgramPart(props: { study: Study; rig: string | undefined }) {
  const { study } = props;
  const change = useProgramOfStudy(study.id);
  const mayChange = useMayChange();
  const chosen = study.subject !== "";
  return (
    <SheetPart
      name="Program"
      note={chosen ? "said" : "to be chosen"}
      state={chosen ? "said" : "missing"}
    >
      {chosen ? (
        <p>
          <InPlace
            label="program"
            value={study.subject}
            maxLength={120}
            may={(text) => text !== ""}
            keep={(name) => change.mutate({ name })}
            className="[field-sizing:content] min-w-24 font-semibold"
          />{" "}
          by{" "}
          <InPlace
            label="maker"
            value={study.maker}
            placeholder="its maker"
            maxLength={120}
            keep={(maker) => change.mutate({ name: study.subject, maker })}
            className="w-56"
          />
        </p>
      ) : mayChange ? (
        <Choose study={study} rig={props.rig} />
      ) : (
        <p className="text-ink-2">not chosen yet</p>
      )}
      {change.error && (
        <p role="alert" className="mt-1 text-behind">
          {change.error.message}
        </p>
      )}
    </SheetPart>
  );
}

function Choose(props: { study: Study; rig: string | undefined }) {
  const { study, rig } = props;
  const [way, setWay] = useState<Way>("installed");
  const subjects = useSubjects();
  const name = useProgramOfStudy(study.id);
  const taking = useTake(study, rig);
  return (
    <>
      <div className="mb-2 flex flex-wrap items-baseline gap-x-4">
        {(Object.keys(WAYS) as Way[]).map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={way === one}
            className={one === way ? "font-semibold" : "text-brass"}
            onClick={() => setWay(one)}
          >
            {WAYS[one]}
          </button>
        ))}
        {(subjects.data?.length ?? 0) > 0 && (
          <span className="ml-auto text-ink-2">
            known already:{" "}
            {subjects.data?.map((one) => (
              <button
                key={one.id}
                type="button"
                className="act mr-2 font-semibold"
                onClick={() => name.mutate({ name: one.name })}
              >
                {one.name}
              </button>
            ))}
          </span>
        )}
      </div>
      <WayIn way={way} rig={rig} take={taking.take} busy={taking.busy} />
      {(taking.error ?? name.error) && (
        <p role="alert" className="mt-1 text-behind">
          {(taking.error ?? name.error)?.message}
        </p>
      )}
    </>
  );
}
