/** A question to begin with: the same sheet as Ask, not yet filled in. */
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { type Application, type Part, useApplications, useAsk } from "../api/asking";
import { api, unwrap } from "../api/client";
import { useMayChange } from "../api/people";
import { useRigs } from "../api/queries";
import { Header } from "../parts/Header";
import { useKeys } from "../parts/keyboard";
import { NotchRule } from "../parts/NotchRule";
import { SheetPart } from "../parts/Sheet";
import { count } from "../parts/text";
import { SmallRule } from "../rule/SmallRule";
import { makersVersion } from "../study/ask/readiness";
import { matching } from "../study/ask/WaysIn";
import { isThere, known } from "../workshop/apart";
import { BringBundle } from "./BringBundle";

/** Questions that many ask, with the session each begins with. */
const USUAL: { question: string; about: string; parts: Part[]; minutes: number }[] = [
  {
    question: "Does it start sooner than the last release?",
    about: "two releases · only launch it",
    parts: ["launch", "close"],
    minutes: 6,
  },
  {
    question: "What does this setting cost?",
    about: "one program, with it and without",
    parts: ["launch", "close"],
    minutes: 6,
  },
  {
    question: "Is scrolling as smooth as before?",
    about: "two releases · page through a file",
    parts: ["launch", "page", "close"],
    minutes: 9,
  },
  {
    question: "Does it give memory back when it is left alone?",
    about: "two releases · type, then leave it idle",
    parts: ["launch", "type", "idle", "close"],
    minutes: 12,
  },
  {
    question: "Which of two programs opens my file faster?",
    about: "two programs · one file",
    parts: ["launch", "close"],
    minutes: 6,
  },
];

const PLACEHOLDER = "Does the new release open a long document sooner?";
const SHOWN = 5;

const NOTCHES = [
  ["Ask", "begin here"],
  ["Match", "what else differs"],
  ["Script", "what it shall do"],
  ["Measure", "over and over"],
  ["Read", "every reading"],
  ["Decide", "what differs"],
  ["Say", "a report"],
];

/** Where a question is asked; on an empty workspace this is Home. */
export function Begin(props: { empty?: boolean }) {
  const navigate = useNavigate();
  const mayChange = useMayChange();
  useKeys("Asking", [{ keys: "Escape", does: "back to all studies", act: () => navigate("/") }]);
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>{!props.empty && <b className="text-head-ink">a new question</b>}</Header>
      <NotchRule
        label="The way of a question"
        chosen="ask"
        notches={NOTCHES.map(([name = "", state = ""]) => ({
          id: name.toLowerCase(),
          name,
          state,
          to: "/ask",
        }))}
      />
      <main className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_368px]">
        {mayChange ? (
          <Asking />
        ) : (
          <p className="p-6 text-ink-2">
            Nothing has been asked here yet, and your role is to read: an owner or a tester asks.
          </p>
        )}
        <Aside />
      </main>
    </div>
  );
}

function Asking() {
  const ask = useAsk();
  const navigate = useNavigate();
  const rigs = useRigs();
  const [text, setText] = useState("");
  const [trouble, setTrouble] = useState("");
  const there = (rigs.data ?? []).filter(isThere);
  const rig = there[0]?.name;
  const begin = async (
    question: string,
    parts?: Part[],
    program?: Application,
    onTo: "ask" | "bring-in" = "ask",
  ) => {
    try {
      setTrouble("");
      const { id: study } = await ask.mutateAsync(question);
      const params = { path: { study } };
      if (parts && parts.length > 2)
        await unwrap(
          api.PUT("/api/studies/{study}/session", {
            params,
            body: { parts, file: "", by_keys: false, nature: "still" },
          }),
        );
      if (program && rig && there.length > 1)
        await unwrap(api.POST("/api/studies/{study}/ask", { params, body: { rig } }));
      if (program) {
        const name = `${program.name} ${makersVersion(program.version)}`.trim().slice(0, 60);
        const start = { command: program.command, log: "", home: "" as const };
        await unwrap(
          api.POST("/api/studies/{study}/new-variant", {
            params,
            body: { name, start, program: program.name },
          }),
        );
      }
      navigate(`/studies/${study}/${onTo}`);
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : "This could not be asked.");
    }
  };
  return (
    <div tabIndex={0} className="overflow-auto">
      <SheetPart name="Question" note="to begin with" state="said">
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (text.trim()) begin(text.trim());
          }}
        >
          <h1>
            <label htmlFor="new-question" className="text-[20px] font-semibold">
              What do you want to know?
            </label>
          </h1>
          <input
            id="new-question"
            // biome-ignore lint/a11y/noAutofocus: this page is there to be typed into
            autoFocus
            className="mt-1 w-full border-b-2 border-brass bg-card px-2 py-1.5 text-[22px] placeholder:text-ink-3"
            placeholder={PLACEHOLDER}
            maxLength={200}
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <div className="mt-2 flex items-baseline gap-3">
            <span className="flex-1 text-ink-2">
              Ask as you would ask a colleague. Everything is saved as you type.
            </span>
            <button type="submit" className="button" disabled={!text.trim() || ask.isPending}>
              Ask
            </button>
          </div>
        </form>
        {trouble && (
          <p role="alert" className="text-behind">
            {trouble}
          </p>
        )}
        <p className="mt-2 text-[12px] text-ink-2">or begin with one that many ask</p>
        <ul>
          {USUAL.map((one) => (
            <li
              key={one.question}
              className="grid grid-cols-[1.4fr_1fr_60px] gap-3 border-b border-line-2 py-0.5"
            >
              <button
                type="button"
                className="text-left text-brass hover:underline"
                onClick={() => begin(one.question, one.parts)}
              >
                {one.question}
              </button>
              <span className="text-ink-2">{one.about}</span>
              <span className="text-right text-ink-2">{one.minutes} min</span>
            </li>
          ))}
        </ul>
        <p className="mt-2 text-[12px] text-ink-2">or begin with what is there already</p>
        <p>
          <button
            type="button"
            className="act font-medium"
            disabled={ask.isPending}
            onClick={() =>
              begin(text.trim() || "Which is quicker?", undefined, undefined, "bring-in")
            }
          >
            Bring in what was measured
          </button>{" "}
          <span className="text-ink-2">
            a log, a table of results, or films of the screen, of whatever program, wherever it ran.
          </span>
        </p>
        <BringBundle />
      </SheetPart>
      <Programs rig={rig} begin={begin} busy={ask.isPending} />
      {[
        ["Variants", "two or more of it, and the one thing that is meant to differ between them"],
        [
          "Session",
          "only launch it; or work with it once and have that written; or a starting point",
        ],
        ["Files", "what it works on, the same for all"],
        ["Plan", "how many rounds, in which order: proposed, and it stops by itself"],
      ].map(([name = "", about]) => (
        <SheetPart key={name} name={name} note="" state="missing">
          <p className="text-ink-2">{about}</p>
        </SheetPart>
      ))}
    </div>
  );
}

function Programs(props: {
  rig: string | undefined;
  begin: (question: string, parts?: Part[], program?: Application) => void;
  busy: boolean;
}) {
  const installed = useApplications(props.rig);
  const [text, setText] = useState("");
  const [all, setAll] = useState(false);
  const programs = matching(installed.data?.applications ?? [], text);
  const shown = all ? programs : programs.slice(0, SHOWN);
  const note = installed.data ? `${installed.data.applications.length} found there` : "not yet";
  return (
    <SheetPart name="Program" note={note} state="missing">
      {!props.rig && <p className="text-ink-2">No rig is connected yet.</p>}
      {props.rig && installed.data?.applications.length === 0 && (
        <p className="text-ink-2">
          No desktop program with a menu entry is installed on {props.rig}. Ask first: any command
          of your own can be started too.
        </p>
      )}
      {programs.length + text.length > 0 && (
        <div className="flex items-baseline gap-3">
          <input
            aria-label={`search what is installed on ${props.rig}`}
            placeholder="search"
            className="line-field w-52"
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <span className="text-ink-2">what is installed on {props.rig}</span>
        </div>
      )}
      <ul className="mt-1">
        {shown.map((one) => (
          <li
            key={one.id}
            className="grid grid-cols-[1.2fr_90px_1fr_auto] items-baseline gap-3 border-b border-line-2 py-0.5"
          >
            <span className="truncate font-medium">{one.name}</span>
            <span className="truncate text-ink-2">{makersVersion(one.version)}</span>
            <span className="truncate text-[12px] text-ink-2">
              {one.package ? `package ${one.package}` : "in no package"}
            </span>
            <button
              type="button"
              className="act"
              disabled={props.busy}
              aria-label={`ask about it: ${one.name}`}
              onClick={() => props.begin(`What differs in ${one.name}?`, undefined, one)}
            >
              ask about it
            </button>
          </li>
        ))}
      </ul>
      {programs.length > SHOWN && (
        <button type="button" className="act mt-1" onClick={() => setAll(!all)}>
          {all ? "fewer" : count(programs.length - SHOWN, "more", "more")}
        </button>
      )}
    </SheetPart>
  );
}

const EXAMPLE = [
  { variant: 1, label: "opening", gain: 0.86, band: 0.03, verdict: "ahead" as const },
];

function Aside() {
  return (
    <aside tabIndex={0} className="overflow-auto border-l border-line bg-card px-5 py-4">
      <p className="text-[12px]">
        <b className="text-brass">what comes of it</b>{" "}
        <span className="text-ink-2">an example, not measured here</span>
      </p>
      <p className="mt-1 text-[17px] leading-snug">
        “Opening takes <b>413&nbsp;ms less</b> in the new release, 58&nbsp;% less:{" "}
        <b className="text-ahead">ahead</b>.”
      </p>
      <div className="mt-2" aria-hidden="true">
        <SmallRule ticks={EXAMPLE} variants={["old release", "new release"]} baseline={0} />
      </div>
      <p className="text-ink-2">The old release stands in the middle, better is to the right.</p>
      <h2 className="mt-4 border-t border-line pt-3 font-semibold text-brass">
        in about fifteen minutes
      </h2>
      <FifteenMinutes />
      <Machines />
    </aside>
  );
}

const STAGES: [number, number, string, string][] = [
  [0, 4, "Ask", "you: which program and variants, what it does"],
  [4, 5, "Try it", "the rig: each starts once"],
  [
    5,
    13,
    "Measure",
    "the rig: the same session over and over, variants taking turns; it stops by itself when the answer is known",
  ],
  [13, 15, "Read, decide", "you: does it matter, and to whom"],
];

/** Fifteen minutes as a rule. */
function FifteenMinutes() {
  return (
    <ol className="mt-2">
      {STAGES.map(([from, to, name, about]) => (
        <li
          key={name}
          className="grid grid-cols-[26px_26px_1fr]"
          style={{ minHeight: 15 * (to - from) }}
        >
          <span className="pr-1.5 text-right text-[11px] text-ink-2">{from}</span>
          <span
            aria-hidden="true"
            className={about.startsWith("you") ? "sheet-rule" : "sheet-rule-proposed"}
          />
          <span className="pb-1 pl-2 leading-tight">
            <b>{name}</b> <span className="text-ink-2">{about}</span>
          </span>
        </li>
      ))}
      <li className="pl-2 text-[11px] text-ink-2">15 min</li>
    </ol>
  );
}

/** The machines there are, in a sentence each. */
function Machines() {
  const rigs = useRigs().data ?? [];
  const there = rigs.filter(isThere);
  return (
    <section className="mt-4 border-t border-line pt-3">
      <p className="flex items-baseline">
        <b className="flex-1">{there.length ? "It is measured on" : "No rig is connected"}</b>
        <Link className="act" to="/rigs">
          {there.length ? "rigs" : "add a rig"}
        </Link>
      </p>
      {there.map((rig) => (
        <p key={rig.name}>
          <b>{rig.name}</b>{" "}
          <span className="text-ink-2">
            {rig.state}
            {rig.background_cpu_share !== null &&
              `, ${rig.background_cpu_share}\u00a0% busy with this page open`}
            ; {known(rig, "cores")} cores, {known(rig, "memory")}
          </span>
        </p>
      ))}
    </section>
  );
}
