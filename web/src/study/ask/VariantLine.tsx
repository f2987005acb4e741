/** One variant of a study: what it is and starts, whose home it has, how trying it went. */
import { useState } from "react";
import { type Try, useAllowVariant, useChangeVariant, useStartEmpty } from "../../api/asking";
import type { Schemas, Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useAddVariant, useAskChange, useTags, useTakeOutVariant } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { InPlace } from "../../parts/InPlace";
import { StartOnRig } from "../../parts/StartOnRig";
import { duration } from "../../parts/text";
import { useOfferUndo } from "../../parts/Undo";
import { VariantMark, variantColour } from "../../parts/variants";
import { lastWords } from "../../workshop/Subjects";
import { differing, secondsOf } from "./readiness";

type Variant = Study["variants"][number];
type Start = Schemas["Start"];

export function VariantLine(props: {
  study: Study;
  variant: Variant;
  baseline: string;
  /** Whether programs are shown with their folders: where those tell them apart. */
  whole: boolean;
  tried: Try | undefined;
  chosen: boolean;
  choose: () => void;
}) {
  const { study, variant } = props;
  const mayChange = useMayChange();
  const change = useChangeVariant(study.id);
  const baseline = useAskChange(study.id);
  const tags = useTags(study.id);
  const base = variant.position === study.baseline;
  const runs = study.runs.filter(
    (run) => run.variant === variant.position && run.state !== "withdrawn",
  );
  const trouble = change.error ?? tags.error ?? baseline.error;
  return (
    <>
      <tr className={`align-baseline ${props.chosen ? "bg-card" : ""}`}>
        <td className="pt-1.5">
          <div className="flex items-baseline">
            <svg width="12" height="12" viewBox="-6 -6 12 12" aria-hidden="true">
              <VariantMark index={variant.position} x={0} y={0} radius={4.4} />
            </svg>
            <span
              className="ml-2.5 min-w-0 flex-1"
              style={{ color: variantColour(variant.position) }}
            >
              <InPlace
                label={`name of ${variant.name}`}
                value={variant.name}
                maxLength={60}
                may={(text) => text !== ""}
                keep={(name) => change.mutate({ position: variant.position, name })}
                className="w-full font-semibold"
              />
            </span>
          </div>
        </td>
        <td className="pr-3">
          <Command
            variant={variant}
            whole={props.whole}
            baseline={base ? variant.command : props.baseline}
            keep={
              mayChange && variant.runs === 0 && variant.command !== ""
                ? (typed) => change.mutate({ position: variant.position, typed })
                : undefined
            }
          />
        </td>
        <td className="text-right">
          <Tried variant={variant} tried={props.tried} runs={runs.length} choose={props.choose} />
        </td>
        <td className="text-right">
          <TakeOut study={study} variant={variant} runs={runs.length} base={base} />
        </td>
      </tr>
      <tr className={`border-b border-line-2 text-[12px] ${props.chosen ? "bg-card" : ""}`}>
        <td className="pb-1 pl-6 align-top text-ink-2">
          {base ? (
            "the baseline"
          ) : (
            <Acts>
              <button
                type="button"
                className="act"
                onClick={() => baseline.mutate({ baseline: variant.position })}
              >
                make it the baseline
              </button>
            </Acts>
          )}
        </td>
        <td className="pb-1" colSpan={3}>
          <OnRig study={study} variant={variant} />
          <span className="text-ink-2">
            it has{" "}
            <InPlace
              label={`what ${variant.name} has`}
              value={variant.tags.join(", ")}
              placeholder="nothing that a script asks for"
              maxLength={300}
              className="ml-0! w-56"
              keep={(text) =>
                tags.mutate({
                  position: variant.position,
                  tags: text.split(",").flatMap((tag) => tag.trim() || []),
                })
              }
            />
          </span>
          {(mayChange || variant.state !== "") && (
            <More study={study} variant={variant} changed={change} />
          )}
          {trouble && (
            <p role="alert" className="text-behind">
              {trouble.message}
            </p>
          )}
        </td>
      </tr>
    </>
  );
}

type Change = ReturnType<typeof useChangeVariant>;

/** What else belongs to a start: whose home it has, what is run before, where its log is. */
function More(props: { study: Study; variant: Variant; changed: Change }) {
  const { variant, changed } = props;
  const [open, setOpen] = useState(false);
  const empty = useStartEmpty(props.study.id);
  const start = variant.start as Partial<Start>;
  const fixed = variant.runs > 0 || !start.command;
  const keep = (values: Partial<Start>) =>
    changed.mutate({
      position: variant.position,
      start: { log: "", home: "", ...start, command: start.command ?? [], ...values },
    });
  return (
    <>
      {variant.state && (
        <span className="ml-3 text-ink-2">
          begins with a prepared state, {variant.state}{" "}
          <button type="button" className="act" onClick={() => empty.mutate(variant.position)}>
            begin empty again
          </button>
        </span>
      )}
      {!fixed && (
        <button
          type="button"
          className="act ml-3"
          aria-expanded={open}
          aria-label={`home, log, prepare of ${variant.name}`}
          onClick={() => setOpen(!open)}
        >
          home, log, prepare
        </button>
      )}
      {open && !fixed && (
        <div className="mt-1 grid grid-cols-[150px_1fr] items-baseline gap-x-3 gap-y-1 border-l-2 border-brass pl-3">
          <span>its home</span>
          <select
            aria-label={`whose home ${variant.name} has`}
            className="field w-fit"
            value={start.home ?? ""}
            onChange={(event) => keep({ home: event.target.value as Start["home"] })}
          >
            <option value="">each run's own: runs start alike</option>
            <option value="real">the person's own, where it cannot do without</option>
          </select>
          <span>its log file</span>
          <InPlace
            label={`log file of ${variant.name}`}
            value={start.log ?? ""}
            placeholder="what it prints is its log"
            maxLength={200}
            className="ml-0! w-72 border-line!"
            keep={(log) => keep({ log })}
          />
          <span>before each session</span>
          <InPlace
            label={`command before each session of ${variant.name}`}
            value={(start.prepare ?? []).join(" ")}
            placeholder="nothing, or a command to run"
            maxLength={2000}
            className="ml-0! w-full border-line! font-mono"
            keep={(text) => keep({ prepare: text ? text.split(/\s+/) : [] })}
          />
        </div>
      )}
    </>
  );
}

/** The command, with what differs from the baseline's underlined; a press lets one change it. */
function Command(props: {
  variant: Variant;
  whole: boolean;
  baseline: string;
  keep?: (typed: string) => void;
}) {
  const [changing, setChanging] = useState(false);
  const { variant, keep } = props;
  if (!variant.command)
    return <span className="font-mono text-[12px] text-ink-2">{variant.program}</span>;
  if (keep && changing)
    return (
      <input
        // biome-ignore lint/a11y/noAutofocus: it opens on request, to be typed into
        autoFocus
        aria-label={`what is started for ${variant.name}`}
        className="line-field w-full font-mono text-[12px]"
        defaultValue={variant.command}
        maxLength={8000}
        onKeyDown={(event) => {
          if (event.key === "Escape") event.currentTarget.value = variant.command;
          if (event.key === "Enter" || event.key === "Escape") {
            event.preventDefault();
            event.stopPropagation();
            event.currentTarget.blur();
          }
        }}
        onBlur={(event) => {
          const typed = event.currentTarget.value.trim();
          setChanging(false);
          if (typed && typed !== variant.command) keep(typed);
        }}
      />
    );
  const shown = (command: string) => (props.whole ? command : lastWords(command));
  const words = differing(shown(variant.command), shown(props.baseline)).map((one, place) => (
    <span
      key={`${place} ${one.word}`}
      className={one.same ? "" : "border-b-2 border-brass font-semibold text-ink"}
    >
      {one.word}{" "}
    </span>
  ));
  const look = "block max-w-full truncate text-left font-mono text-[12px]";
  return keep ? (
    <button
      type="button"
      className={look}
      title={`${variant.command} (press to change it)`}
      onClick={() => setChanging(true)}
    >
      {words}
    </button>
  ) : (
    <span className={look} title={variant.command}>
      {words}
    </span>
  );
}

function Tried(props: {
  variant: Variant;
  tried: Try | undefined;
  runs: number;
  choose: () => void;
}) {
  const { tried } = props;
  if (!tried) return <span className="text-ink-2">{props.runs ? "measured" : "not yet"}</span>;
  const shown = tried.timings.find((one) => one.path.at(-1) === "shown" && !one.right_censored);
  const ran = secondsOf(tried, "run");
  const words =
    tried.state !== "ended"
      ? tried.state === "waits"
        ? "waits for the rig"
        : "being tried …"
      : shown
        ? `shown after ${duration(shown.seconds)}`
        : ran !== undefined
          ? `ended after ${duration(ran)}`
          : tried.ended_well
            ? "ended well"
            : (SHORT[tried.outcome] ?? tried.outcome);
  const bad = tried.state === "ended" && !shown && ran === undefined && !tried.ended_well;
  return (
    <button
      type="button"
      className={`whitespace-nowrap ${bad ? "text-behind" : ""}`}
      onClick={props.choose}
      aria-label={`${props.variant.name}: ${words}, see it`}
    >
      {words}
    </button>
  );
}

/** Outcomes of a try, in two or three words. */
export const SHORT: Record<string, string> = {
  crashed: "ended at once",
  "cut off": "no window came",
  hung: "it hangs",
  "not started": "could not start",
  refused: "could not start",
  aborted: "stopped",
};

/** How far the rig is with what is wanted, where it does not start it yet. */
function OnRig(props: { study: Study; variant: Variant }) {
  const { variant } = props;
  const allow = useAllowVariant(props.study.id);
  if (variant.on_rig.state === "elsewhere")
    return <p className="text-[12px] text-ink-2">measured elsewhere: no rig starts it</p>;
  if (variant.runs > 0) return null;
  return (
    <StartOnRig
      onRig={variant.on_rig}
      program={variant.program}
      asking={allow.isPending}
      ask={() => allow.mutate(variant.position)}
    />
  );
}

function TakeOut(props: { study: Study; variant: Variant; runs: number; base: boolean }) {
  const takeOut = useTakeOutVariant(props.study.id);
  const add = useAddVariant(props.study.id);
  const offer = useOfferUndo();
  const { variant } = props;
  const out = async () => {
    try {
      await takeOut.mutateAsync(variant.position);
    } catch {
      return; // why stands below
    }
    offer({
      text: `${variant.name} was taken out of this question.`,
      undo: () => add.mutate(variant.id),
    });
  };
  if (props.runs > 0 || (props.base && props.study.variants.length > 1)) return null;
  return (
    <Acts>
      <button type="button" className="act" aria-label={`take out ${variant.name}`} onClick={out}>
        take out
      </button>
      {takeOut.error && (
        <span role="alert" className="block text-[12px] text-behind">
          {takeOut.error.message}
        </span>
      )}
    </Acts>
  );
}
