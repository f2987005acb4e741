/** Which variant each thing that is brought in is of: one that is there, or a new one. */
import { useState } from "react";
import { useNewVariant } from "../api/asking";
import type { Study } from "../api/client";
import { isElsewhere } from "../study/ask/readiness";
import { releaseNames } from "../study/ask/releaseName";
import { becomes, LEAVE, olderFirst, positionsOf } from "./becoming";

/** A study whose variants are started by no rig, or that has none yet. */
export const isOpen = (study: Study) => study.variants.every(isElsewhere);

export type OfVariants = ReturnType<typeof useOfVariants>;

/** Choices for things that are called so; `program` is what their files say that they are of. */
export function useOfVariants(study: Study, called: string[], program: string) {
  const open = isOpen(study);
  const [choices, setChoices] = useState(() => called.map((name) => becomes(study, name, open)));
  const [names, setNames] = useState<Record<string, string>>({});
  const distinct = [...new Set(called)];
  const told = releaseNames(distinct);
  const [of, setOf] = useState(program || told.program);
  const add = useNewVariant(study.id);
  const fresh = olderFirst([...new Set(choices.filter((one) => one.startsWith("new:")))]);
  const nameOf = (one: string) =>
    names[one] ?? told.releases[distinct.indexOf(one.slice(4))] ?? one.slice(4);
  return {
    called,
    choices,
    choose: (place: number, choice: string) =>
      setChoices(choices.map((one, n) => (n === place ? choice : one))),
    kept: choices.filter((one) => one !== LEAVE).length,
    fresh,
    nameOf,
    rename: (one: string, name: string) => setNames({ ...names, [one]: name }),
    program: of,
    setProgram: setOf,
    making: add.isPending,
    error: add.error,
    /** Add the new variants; positions of the variants of all that was called, −1 for none. */
    positions: async () => {
      const made: Record<string, number> = {};
      for (const one of fresh) {
        const now = await add.mutateAsync({
          name: nameOf(one).trim(),
          elsewhere: true,
          program: study.subject ? undefined : of.trim(),
        });
        const position = now.variants.length - 1;
        made[one] = position;
        // where something fails afterwards, the variant is there and is not added once more
        setChoices((before) => before.map((was) => (was === one ? String(position) : was)));
      }
      return positionsOf(choices, made);
    },
  };
}

export function VariantOf(props: { study: Study; of: OfVariants; place: number; label: string }) {
  const { of, place } = props;
  const fresh = `new:${of.called[place]}`;
  return (
    <select
      aria-label={`variant of ${props.label}`}
      className="field"
      value={of.choices[place]}
      onChange={(event) => of.choose(place, event.target.value)}
    >
      {props.study.variants.map((variant, index) => (
        <option key={variant.name} value={String(index)}>
          {variant.name}
        </option>
      ))}
      <option value={fresh}>{of.nameOf(fresh)}, a new variant</option>
      <option value={LEAVE}>nothing: leave it</option>
    </select>
  );
}

/** The names of new variants and of their program, where there are any. */
export function NewVariants(props: { study: Study; of: OfVariants }) {
  const { study, of } = props;
  if (!of.fresh.length) return null;
  return (
    <fieldset className="mt-3 flex flex-wrap items-center gap-x-3 gap-y-2">
      <legend className="float-left mr-3">
        new {of.fresh.length > 1 ? "variants" : "variant"}, started by no rig:
      </legend>
      {of.fresh.map((one) => (
        <input
          key={one}
          aria-label={`name of the new variant ${one.slice(4)}`}
          className="field w-[150px]"
          maxLength={60}
          value={of.nameOf(one)}
          onChange={(event) => of.rename(one, event.target.value)}
        />
      ))}
      {!study.subject && (
        <label>
          of the program{" "}
          <input
            className="field w-[150px]"
            placeholder="its name"
            maxLength={120}
            value={of.program}
            onChange={(event) => of.setProgram(event.target.value)}
          />
        </label>
      )}
    </fieldset>
  );
}
