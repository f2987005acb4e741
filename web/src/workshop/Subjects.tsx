/** Subjects: programs under test, their variants, what starts them, which settings are watched. */
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useLines } from "../api/lines";
import { useMayChange } from "../api/people";
import { useStudies } from "../api/queries";
import {
  useChangeSubject,
  useNewSubject,
  useNewSubjectVariant,
  useSubjects,
} from "../api/workshop";
import { Answers } from "../parts/Answers";
import { InPlace } from "../parts/InPlace";
import { Trouble, Waiting } from "../parts/Trouble";
import { count } from "../parts/text";
import { Looks } from "../parts/variants";
import { MoveActs } from "./MoveActs";
import { SettingsFiles } from "./SettingsFiles";

type Subject = Schemas["Subject"];

export function Subjects() {
  const subjects = useSubjects();
  if (subjects.isPending) return <Waiting what="the subjects" />;
  if (subjects.error)
    return <Trouble what="The subjects" error={subjects.error} again={() => subjects.refetch()} />;
  return (
    <>
      {subjects.data.map((subject) => (
        <One key={subject.id} subject={subject} />
      ))}
      {subjects.data.length === 0 && (
        <p className="max-w-xl text-ink-2">
          Here stand the programs that are measured, each with its releases, editions or settings.
        </p>
      )}
      <AddSubject />
    </>
  );
}

function One(props: { subject: Subject }) {
  const { subject } = props;
  const change = useChangeSubject(subject.id);
  return (
    <section className="mb-8">
      <h1 className="flex items-baseline gap-2">
        <InPlace
          label="name of the subject"
          value={subject.name}
          maxLength={120}
          may={(text) => text !== ""}
          keep={(name) => change.mutate({ name })}
          className="w-44 text-[22px] font-semibold"
        />
        <span className="text-ink-2">by</span>
        <InPlace
          label="maker"
          value={subject.maker}
          maxLength={120}
          placeholder="who makes it"
          keep={(maker) => change.mutate({ maker })}
          className="w-72 text-[15px]"
        />
        <span className="flex-1 text-right text-[12px] text-ink-2">
          in {count(subject.studies, "study", "studies")}
        </span>
        <MoveActs kind="subject" id={subject.id} name={subject.name} />
      </h1>
      {change.error && (
        <p role="alert" className="text-behind">
          {change.error.message}
        </p>
      )}
      <table className="mt-2 w-full table-fixed border-collapse">
        <thead>
          <tr className="border-b border-brass/60 text-left text-[12px] text-ink-2">
            <th className="w-[110px] py-1 font-normal">variant</th>
            <th className="w-[170px] py-1 font-normal">program, as rigs know it</th>
            <th className="py-1 font-normal">what starts it, on which rig</th>
            <th className="w-[150px] py-1 font-normal">its log</th>
            <th className="w-[130px] py-1 font-normal">caches to clear</th>
            <th className="w-[60px] py-1 text-right font-normal">studies</th>
            <th className="w-[120px]" aria-label="acts" />
          </tr>
        </thead>
        <tbody>
          {subject.variants.map((variant) => (
            <tr key={variant.id} className="border-b border-line-2 align-baseline">
              <td className="py-1 font-medium">
                {variant.name}
                {variant.tags.length > 0 && (
                  <span className="block text-[12px] font-normal text-ink-2">
                    has {variant.tags.join(", ")}
                  </span>
                )}
              </td>
              <td className="truncate py-1 pr-3 font-mono text-[12px]">
                {variant.program || <span className="font-sans">none: measured elsewhere</span>}
              </td>
              <td className="py-1 pr-3">
                {variant.started_by.map((one) => (
                  <div key={one.rig} className="truncate" title={one.command}>
                    <Link className="plain" to={`/rigs/${one.rig}`}>
                      {one.rig}
                    </Link>{" "}
                    <span className="font-mono text-[12px]">{lastWords(one.command)}</span>
                  </div>
                ))}
                {variant.started_by.length === 0 && (
                  <span className="text-behind">no rig may start it yet</span>
                )}
              </td>
              <td className="truncate py-1 pr-3 font-mono text-[12px]">
                {unique(variant.started_by.map((one) => one.log || "what it prints"))}
              </td>
              <td className="truncate py-1 pr-3 font-mono text-[12px]">
                {unique(variant.started_by.flatMap((one) => one.caches)) || (
                  <span className="font-sans text-ink-2">none named</span>
                )}
              </td>
              <td className="py-1 text-right">{variant.studies}</td>
              <td className="py-1 text-right">
                <MoveActs kind="variant" id={variant.id} name={`${subject.name} ${variant.name}`} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <AddVariant subject={subject} />
      <SettingsFiles subject={subject} />
      <Lines subject={subject} />
      <Asked subject={subject} />
    </section>
  );
}

/** Its lines of releases: sessions that were measured of several, on one kind of rig. */
function Lines(props: { subject: Subject }) {
  const lines = useLines(props.subject.id).data ?? [];
  if (!lines.length) return null;
  return (
    <section className="mt-7">
      <h2 className="font-semibold">
        Lines of releases{" "}
        <span className="font-normal text-ink-2">when did it get slower, and by how much?</span>
      </h2>
      <ul className="mt-1">
        {lines.map((line) => (
          <li key={line.key} className="flex gap-3 border-b border-line-2 py-1">
            <Link className="plain" to={`/subjects/${props.subject.id}/lines/${line.key}`}>
              {line.title}
            </Link>
            <span className="text-ink-2">
              {count(line.releases, "release")} in {count(line.studies, "study", "studies")} on rigs
              like {line.rigs.join(", ")}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

const MOST_ASKED = 6;

/** What was asked about it lately, and what came of it. */
function Asked(props: { subject: Subject }) {
  const all = useStudies().data ?? [];
  const about = all.filter((study) => study.subject === props.subject.name);
  if (!about.length) return null;
  return (
    <section className="mt-7">
      <h2 className="font-semibold">What was asked about it</h2>
      <ul className="mt-1">
        {about.slice(0, MOST_ASKED).map((study) => (
          <li
            key={study.id}
            className="grid grid-cols-[minmax(0,2fr)_minmax(0,3fr)_130px] gap-4 border-b border-line-2 py-1.5"
          >
            <Link className="plain self-start" to={`/studies/${study.id}`}>
              {study.question}
            </Link>
            <Looks baseline={study.baseline}>
              {study.answers.length > 0 ? (
                <Answers small answers={study.answers} variants={study.variants} />
              ) : (
                <span className="text-ink-2">not known yet</span>
              )}
            </Looks>
            <span className="text-right text-[12px] text-ink-2">
              {study.state}, {count(study.runs_done, "run")}
            </span>
          </li>
        ))}
      </ul>
      {about.length > MOST_ASKED && (
        <p className="mt-1 text-[12px] text-ink-2">
          and {about.length - MOST_ASKED} more,{" "}
          <Link className="plain" to="/">
            among all studies
          </Link>
        </p>
      )}
    </section>
  );
}

const unique = (texts: string[]) => [...new Set(texts)].join(", ");

/** A command without the folders of its program: what tells two of them apart. */
export function lastWords(command: string): string {
  const [program = "", ...text] = command.split(" ");
  return [program.split("/").at(-1), ...text].join(" ");
}

function AddVariant(props: { subject: Subject }) {
  const add = useNewSubjectVariant(props.subject.id);
  const mayChange = useMayChange();
  const [name, setName] = useState("");
  const [program, setProgram] = useState("");
  if (!mayChange) return null;
  const good = name.trim() && program.trim();
  return (
    <form
      className="mt-2 flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (good)
          add.mutate(
            { name: name.trim(), program: program.trim() },
            {
              onSuccess: () => {
                setName("");
                setProgram("");
              },
            },
          );
      }}
    >
      <input
        aria-label="name of the new variant"
        className="field w-28"
        placeholder="5.0"
        maxLength={60}
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <input
        aria-label="program that rigs start for it"
        className="field w-48 font-mono text-[12px]"
        placeholder="weftwright-5.0"
        maxLength={120}
        value={program}
        onChange={(event) => setProgram(event.target.value)}
      />
      <button type="submit" className="button-quiet" disabled={!good || add.isPending}>
        Add a variant
      </button>
      <span className="text-[12px] text-ink-2">
        what a rig starts for that name stands in its own file; under Ask an owner can say it too
      </span>
      {add.error && (
        <span role="alert" className="text-behind">
          {add.error.message}
        </span>
      )}
    </form>
  );
}

function AddSubject() {
  const add = useNewSubject();
  const mayChange = useMayChange();
  const [name, setName] = useState("");
  if (!mayChange) return null;
  return (
    <form
      className="flex items-center gap-2 border-t border-line pt-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim())
          add.mutate({ name: name.trim(), maker: "" }, { onSuccess: () => setName("") });
      }}
    >
      <label htmlFor="subject">Another program to be measured:</label>
      <input
        id="subject"
        className="field w-56"
        maxLength={120}
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <button type="submit" className="button-quiet" disabled={!name.trim() || add.isPending}>
        Add it
      </button>
      {add.error && (
        <span role="alert" className="text-behind">
          {add.error.message}
        </span>
      )}
    </form>
  );
}
