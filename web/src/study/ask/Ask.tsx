/** Ask: a sheet filled in beside a rule, from the question to the plan; all changed in place. */
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useMove, useTries } from "../../api/asking";
import type { Study } from "../../api/client";
import {
  useAskChange,
  useNewStudy,
  useRigs,
  useStartPlan,
  useTakeOutVariant,
} from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { Answers } from "../../parts/Answers";
import { InPlace } from "../../parts/InPlace";
import { SheetPart } from "../../parts/Sheet";
import { count, moment } from "../../parts/text";
import { isThere } from "../../workshop/apart";
import { MoveActs } from "../../workshop/MoveActs";
import { Claims } from "./Claims";
import { Counts } from "./Counts";
import { Decides } from "./Decides";
import { PlanPart } from "./PlanPart";
import { Profiles } from "./Profiles";
import { ProgramPart } from "./ProgramPart";
import { isElsewhere, listed, type Readiness, readiness } from "./readiness";
import { FilesPart, SessionPart } from "./SessionPart";
import { Share } from "./Share";
import { TryIt } from "./TryIt";
import { Variants } from "./Variants";

export function Ask(props: { study: Study }) {
  const { study } = props;
  const change = useAskChange(study.id);
  const tries = useTries(study.id).data ?? [];
  const rig = useRigOf(study);
  const [chosen, setChosen] = useState<number | null>(null);
  const ready = readiness(study, tries);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_368px]">
      <div tabIndex={0} className="overflow-auto">
        <SheetPart name="Question" note="asked" state="said">
          <h1>
            <InPlace
              label="question"
              value={study.question}
              maxLength={200}
              may={(text) => text !== ""}
              keep={(question) => change.mutate({ question })}
              className="w-full text-[22px] font-semibold"
            />
          </h1>
          <InPlace
            label="why it is asked"
            multiline
            value={study.why}
            maxLength={4000}
            placeholder="Why is this asked, and who waits for the answer?"
            keep={(why) => change.mutate({ why })}
            className="mt-1 w-full max-w-3xl resize-none text-ink-2"
          />
          {change.error && (
            <p role="alert" className="text-behind">
              {change.error.message}
            </p>
          )}
        </SheetPart>
        <ProgramPart study={study} rig={rig} />
        <SheetPart
          name="Variants"
          note={
            ready.failing.length
              ? `${ready.failing.length} ${ready.ending.length === ready.failing.length ? "without a window" : "not startable"}`
              : study.variants.length < 2
                ? "two or more"
                : "said"
          }
          state={ready.parts.variants}
          trouble={ready.failing.length > 0}
        >
          {study.subject ? (
            <Variants study={study} tries={tries} rig={rig} chosen={chosen} choose={setChosen} />
          ) : (
            <p className="text-ink-2">
              two or more of it, and the one thing that is meant to differ between them
            </p>
          )}
        </SheetPart>
        {!ready.elsewhere && (
          <>
            <SessionPart study={study} proposed={ready.parts.session === "proposed"} />
            <FilesPart study={study} />
            <PlanPart study={study} tries={tries} proposed={ready.parts.plan === "proposed"} />
          </>
        )}
        <Decides study={study} />
        <SheetPart name="Expected" note="can wait" state="proposed">
          <Claims study={study} />
        </SheetPart>
        <SheetPart name="For whom" note="can wait" state="proposed">
          <Profiles study={study} />
        </SheetPart>
        <SheetPart name="What counts" note="can wait" state="proposed">
          <Counts study={study} />
        </SheetPart>
      </div>
      <aside tabIndex={0} className="overflow-auto border-l border-line bg-card px-5 py-4">
        {study.metrics > 0 && (
          <div className="mb-5 border-b border-line pb-4">
            <p className="text-[12px] font-semibold text-brass">the answer so far</p>
            <div className="mt-1">
              <Answers
                answers={study.answers}
                variants={study.variants.map((variant) => variant.name)}
              />
            </div>
            <p className="mt-2 text-ink-2">{study.headline}.</p>
          </div>
        )}
        {!ready.elsewhere && <TryIt study={study} tries={tries} chosen={chosen} />}
        <Next study={study} ready={ready} />
        <Share study={study} />
        <Acts>
          <Another study={study} />
          <PutAway study={study} />
        </Acts>
      </aside>
    </div>
  );
}

/** The rig a study is measured on: its own, else the only one that is there. */
function useRigOf(study: Study): string | undefined {
  const rigs = useRigs();
  const there = (rigs.data ?? []).filter(isThere);
  return study.rig ?? (there.length > 0 ? there[0]?.name : undefined);
}

/** What is missing, what is proposed, what can wait; and on to measuring. */
function Next(props: { study: Study; ready: Readiness }) {
  const { study, ready } = props;
  const start = useStartPlan(study.id);
  const takeOut = useTakeOutVariant(study.id);
  const navigate = useNavigate();
  const measured = study.runs.length > 0;
  const names = ready.startable.map((one) => one.name);
  // One is enough where another was measured elsewhere.
  const enough = names.length > (study.variants.some(isElsewhere) ? 0 : 1);
  const left = ready.failing.filter((one) => one.runs === 0);
  const go = async () => {
    try {
      // From the last on: a variant's position moves when one before it goes.
      for (const one of [...left].sort((a, b) => b.position - a.position))
        await takeOut.mutateAsync(one.position);
      await start.mutateAsync();
      navigate(`/studies/${study.id}/measure`);
    } catch {
      // Why stands below.
    }
  };
  return (
    <section
      aria-label="what comes next"
      className={ready.elsewhere ? "" : "mt-4 border-t border-line pt-3"}
    >
      {!measured && <p className="mb-1 font-semibold">Nothing has been measured yet.</p>}
      {!measured && (
        <dl className="grid grid-cols-[76px_1fr] gap-y-0.5">
          {ready.missing.length > 0 && (
            <>
              <dt className="font-semibold text-behind">missing</dt>
              <dd>{ready.missing.join("; ")}</dd>
            </>
          )}
          {ready.proposed.length > 0 && (
            <>
              <dt className="font-semibold">proposed</dt>
              <dd>
                {listed(ready.proposed)}{" "}
                <span className="text-ink-2">
                  ({ready.proposed.length === 1 ? "it" : "both"} may stand)
                </span>
              </dd>
            </>
          )}
          <dt className="text-ink-2">can wait</dt>
          <dd className="text-ink-2">{ready.canWait.join(", ")}</dd>
        </dl>
      )}
      <div className="mt-3 flex items-center gap-3">
        {ready.elsewhere && (
          <Acts>
            <Link
              className={measured ? "button-quiet" : "button"}
              to={`/studies/${study.id}/bring-in`}
            >
              Bring in what was measured
            </Link>
          </Acts>
        )}
        {ready.elsewhere ? null : measured ? (
          <Link className="button" to={`/studies/${study.id}/measure`}>
            Measure
          </Link>
        ) : (
          <Acts>
            <button
              type="button"
              className="button"
              disabled={!enough || start.isPending}
              onClick={go}
            >
              {enough ? `Measure ${listed(names)}` : "Measure"}
            </button>
          </Acts>
        )}
        {study.metrics > 0 && (
          <>
            <Link className="button-quiet" to={`/studies/${study.id}/read`}>
              Read
            </Link>
            <Link className="button-quiet" to={`/studies/${study.id}/decide`}>
              Decide
            </Link>
          </>
        )}
        {!measured && names.length > 1 && left.length > 0 && (
          <span className="text-[12px] text-ink-2">
            {listed(left.map((one) => one.name))} can be brought in later
          </span>
        )}
      </div>
      {(start.error ?? takeOut.error) && (
        <p role="alert" className="mt-1 text-behind">
          {(start.error ?? takeOut.error)?.message}
        </p>
      )}
      <p className="mt-3 text-[12px] text-ink-2">
        Asked {moment(study.created)}; everything is kept as it is entered. Write down what you
        expect before you look: a claim put up afterwards is only a description.
      </p>
    </section>
  );
}

/** Put away or deleted: out of Home, and back with one act. */
function PutAway(props: { study: Study }) {
  const { study } = props;
  const move = useMove();
  const navigate = useNavigate();
  if (study.shelf !== "active")
    return (
      <p className="mt-4 border-t border-line pt-3">
        This question {study.shelf === "archived" ? "is put away" : "was deleted"}.{" "}
        <button
          type="button"
          className="act"
          onClick={() => move.mutate({ kind: "study", id: study.id, state: "active" })}
        >
          bring it back
        </button>
      </p>
    );
  const runs = study.runs.filter((run) => run.outcome !== "").length;
  return (
    <p className="mt-4 border-t border-line pt-3">
      <span className="mr-3 text-ink-2">This question:</span>
      <MoveActs
        kind="study"
        id={study.id}
        name={study.question}
        withIt={runs ? count(runs, "run") : undefined}
        moved={() => navigate("/")}
      />
    </p>
  );
}

/** Another question about the same variants, with the same session, plan and profiles. */
function Another(props: { study: Study }) {
  const make = useNewStudy();
  const navigate = useNavigate();
  if (props.study.variants.length < 2) return null;
  const submit = (event: React.FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const question = String(new FormData(event.currentTarget).get("question") ?? "").trim();
    if (question)
      make.mutate(
        { like: props.study.id, question },
        { onSuccess: (made) => navigate(`/studies/${made.id}/ask`) },
      );
  };
  return (
    <form onSubmit={submit} className="mt-6 border-t border-line pt-4">
      <label className="font-semibold" htmlFor="another">
        Ask something else
      </label>
      <p className="mb-2 text-[12px] text-ink-2">
        A new study of the same variants, with this session, plan and what counts; no runs yet.
      </p>
      <div className="flex gap-2">
        <input
          id="another"
          name="question"
          className="field min-w-0 flex-1"
          maxLength={200}
          placeholder="Does it stay calm after an hour?"
        />
        <button type="submit" className="button-quiet" disabled={make.isPending}>
          Ask
        </button>
      </div>
      {make.error && (
        <p role="alert" className="mt-1 text-behind">
          {make.error.message}
        </p>
      )}
    </form>
  );
}
