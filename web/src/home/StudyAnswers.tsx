/** A study on Home: its question, what decides it in sentences on one rule, and what else differs. */
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import type { Schemas, StudySummary } from "../api/client";
import { AnswerSentence } from "../parts/Answers";
import { count, moment } from "../parts/text";
import { Verdict } from "../parts/Verdict";
import { Looks, VariantName, variantColour } from "../parts/variants";
import { GainMark, RuleGround, RuleLabels } from "../rule/marks";
import { ruleScale, ruleTicks } from "../rule/scale";

/** One rule through all studies: a third to three times. */
const REACH = 1.2;
const RULE = 322;
const LANE = 26;
const TICKS = 20;
const SCALE = ruleScale(RULE, REACH);
export const FAMILIES = ["times", "frames", "latency", "processor", "memory", "size"] as const;
const COLUMNS = "grid grid-cols-[minmax(0,1fr)_322px_300px] items-center gap-x-4";

/** What the columns hold, with the rule's labels above its one baseline. */
export function AnswersHead() {
  return (
    <div className={`${COLUMNS} rule-head sticky top-0 z-10 px-6 text-[12px]`}>
      <p className="py-2">
        <b>The answer, by what decides</b>{" "}
        <span className="pl-2 text-ink-2">in brackets: its interval</span>
      </p>
      <svg width={RULE} height={34} aria-hidden="true" className="block self-end">
        <RuleLabels scale={SCALE} y={15} fontSize={12} fill="var(--brass-ink)" />
        <text
          x={SCALE.x(0)}
          y={15}
          fontSize={12}
          textAnchor="middle"
          fontWeight={600}
          fill="var(--brass-ink)"
        >
          baseline
        </text>
        {ruleTicks(REACH).map((tick) => (
          <line
            key={tick.gain}
            x1={SCALE.x(tick.gain)}
            x2={SCALE.x(tick.gain)}
            y1={34}
            y2={tick.long ? 24 : 28}
            stroke="var(--brass)"
          />
        ))}
      </svg>
      <div className="grid grid-cols-6">
        {FAMILIES.map((family) => (
          <span key={family} className="text-center font-dense">
            {family}
          </span>
        ))}
      </div>
    </div>
  );
}

export function StudyAnswers(props: {
  study: StudySummary;
  chosen: boolean;
  /** Whether there are so many that each takes as few lines as its answers. */
  compact: boolean;
}) {
  const { study } = props;
  const element = useRef<HTMLLIElement>(null);
  const first = useRef(true);
  useEffect(() => {
    if (props.chosen && !first.current) element.current?.scrollIntoView({ block: "nearest" });
    first.current = false;
  }, [props.chosen]);
  const candidates = study.variants.map((_, index) => index).filter((n) => n !== study.baseline);
  return (
    <li
      ref={element}
      className={`study-row border-b border-line ${props.chosen ? "bg-card" : ""} ${study.demonstration ? "demonstration" : ""}`}
    >
      <Looks baseline={study.baseline}>
        <Link
          to={`/studies/${study.id}`}
          className={`block px-6 ${props.compact ? "py-1.5" : "pt-3 pb-2.5"}`}
        >
          <div className="flex items-baseline gap-2.5">
            <span className="text-[15px] font-semibold">{study.question}</span>
            <span className="min-w-0 flex-1 text-[12px] text-ink-2">
              {study.subject || "no program chosen yet"}{" "}
              {study.variants.map((name, index) => (
                <span key={name} className="mr-1 whitespace-nowrap">
                  <VariantName index={index} name={name} />
                </span>
              ))}
              {study.demonstration && <span className="ml-1 text-brass">demonstration</span>}
            </span>
            <State study={study} />
          </div>
          {candidates.map((index) => (
            <CandidateLines
              key={index}
              study={study}
              candidate={index}
              compact={props.compact && !props.chosen}
            />
          ))}
          {study.answers.length === 0 && (
            <p className="mt-1 text-ink-2">
              {study.headline ? `${study.headline}.` : "Nothing has been measured yet."}
            </p>
          )}
        </Link>
      </Looks>
    </li>
  );
}

function State(props: { study: StudySummary }) {
  const { study } = props;
  return (
    <span className="text-right text-[12px] text-ink-2">
      <span className={study.state === "running" ? "font-semibold text-brass" : ""}>
        {study.state}
      </span>
      , {study.runs_done} of {study.runs_total} runs
      {study.rigs.length > 0 && ` · ${study.rigs.join(", ")}`}
      {study.troubles > 0 && (
        <span className="text-behind">; {study.troubles} of them do not count</span>
      )}
    </span>
  );
}

/** What decides of one candidate, a line each, then a tick for every metric and the families. */
function CandidateLines(props: { study: StudySummary; candidate: number; compact: boolean }) {
  const { study, candidate, compact } = props;
  const answers = study.answers.filter((answer) => answer.candidate === candidate);
  const ticks = study.ticks.filter((tick) => tick.variant === candidate);
  const families = study.families.filter((one) => one.variant === candidate);
  if (!answers.length && !ticks.length) return null;
  const name = study.variants[candidate] ?? "";
  return (
    <div className="mt-0.5">
      {answers.map((answer, place) => (
        <div key={`${answer.metric}${answer.stretch.join()}`} className={COLUMNS}>
          <p className="grid grid-cols-[76px_60px_minmax(0,1fr)] items-baseline gap-1.5">
            <span className="truncate">
              {place === 0 && <VariantName index={candidate} name={name} />}
            </span>
            <Verdict of={answer.verdict} />
            <span>
              <AnswerSentence answer={answer} />
              <WasBefore answer={answer} />
            </span>
          </p>
          <AnswerOnRule answer={answer} />
          {compact && place === 0 ? <FamilyRules name={name} families={families} /> : <span />}
        </div>
      ))}
      {!(compact && answers.length > 0) && (
        <div className={COLUMNS}>
          <p className="truncate pl-[148px] text-[12px] text-ink-2">
            {tally(families)}
            {answers.some((answer) => answer.gain !== null) && ` · intervals of ${study.level}`}
          </p>
          {ticks.length > 0 ? (
            <Ticks study={study} ticks={ticks} candidate={candidate} />
          ) : (
            <span />
          )}
          <FamilyRules name={name} families={families} />
        </div>
      )}
    </div>
  );
}

/** How long an answer's change stays worth a word, days. */
const NEWS_DAYS = 7;

/** What an answer was until lately, where its verdict has changed. */
function WasBefore(props: { answer: Schemas["AnswerOnRule"] }) {
  const { before } = props.answer;
  if (!before?.verdict || Date.now() - Date.parse(before.until) > NEWS_DAYS * 86_400_000)
    return null;
  return (
    <span className="ml-1.5 whitespace-nowrap text-[12px] text-brass">
      was {before.verdict} until {moment(before.until)}
    </span>
  );
}

/** A candidate's tally by family, on one line. */
function FamilyRules(props: { name: string; families: Schemas["FamilyCount"][] }) {
  return (
    <div className="grid grid-cols-6">
      {FAMILIES.map((family) => (
        <FamilyRule
          key={family}
          name={props.name}
          family={family}
          found={props.families.find((one) => one.family === family)}
        />
      ))}
    </div>
  );
}

function AnswerOnRule(props: { answer: Schemas["AnswerOnRule"] }) {
  const { answer } = props;
  return (
    <svg width={RULE} height={LANE} aria-hidden="true" className="block">
      <RuleGround scale={SCALE} height={LANE} band={answer.band} />
      {answer.gain !== null && (
        <GainMark
          scale={SCALE}
          width={RULE}
          middle={LANE / 2}
          colour={variantColour(answer.candidate)}
          gain={answer.gain}
          low={answer.gain_low}
          high={answer.gain_high}
          open={answer.verdict === "open"}
        />
      )}
    </svg>
  );
}

/** A tick a metric, filled where it is ahead or behind. */
function Ticks(props: { study: StudySummary; ticks: Schemas["Tick"][]; candidate: number }) {
  const { study, ticks, candidate } = props;
  const colour = variantColour(candidate);
  return (
    <svg
      width={RULE}
      height={TICKS}
      role="img"
      aria-label={`${count(ticks.length, "metric")} against ${study.variants[study.baseline]}`}
      className="block"
    >
      <line
        x1={SCALE.x(0)}
        x2={SCALE.x(0)}
        y1={0}
        y2={TICKS}
        stroke="var(--ink-2)"
        strokeWidth={1.5}
      />
      {ticks.map((tick, place) => {
        const sure = tick.verdict === "ahead" || tick.verdict === "behind";
        return (
          <rect
            key={place}
            x={SCALE.x(tick.gain) - 1.5}
            y={5}
            width={3}
            height={10}
            fill={sure ? colour : "var(--paper)"}
            stroke={colour}
            strokeWidth={sure ? 0 : 1}
          >
            <title>{`${study.variants[candidate]}: ${tick.label}, ${tick.verdict}`}</title>
          </rect>
        );
      })}
    </svg>
  );
}

/** How many of a family are behind, left of a line, and ahead, right of it; a dot: none was read. */
function FamilyRule(props: {
  name: string;
  family: string;
  found: Schemas["FamilyCount"] | undefined;
}) {
  const { found } = props;
  if (!found) return <span className="text-center text-ink-3">·</span>;
  const words = `${props.name}, ${props.family}: ${found.behind} behind, ${found.ahead} ahead`;
  return (
    <span className="grid grid-cols-[1fr_auto_1fr] gap-1 text-[12px] font-semibold" title={words}>
      <span className="text-right text-behind">{found.behind || ""}</span>
      <span aria-hidden="true" className="w-px bg-ink-2" />
      <span className="text-ahead">{found.ahead || ""}</span>
      <span className="sr-only">{words}</span>
    </span>
  );
}

/** All metrics of a candidate in a line: 16 metrics: 6 ahead, 6 behind, 3 level, 1 open. */
export function tally(families: Schemas["FamilyCount"][]): string {
  const sum = (verdict: "ahead" | "behind" | "level" | "open") =>
    families.reduce((all, one) => all + one[verdict], 0);
  const parts = (["ahead", "behind", "level", "open"] as const).map(
    (verdict) => [sum(verdict), verdict] as const,
  );
  const total = parts.reduce((all, [number]) => all + number, 0);
  if (!total) return "";
  const said = parts
    .filter(([number]) => number)
    .map(([number, verdict]) => `${number} ${verdict}`);
  return `${total} ${total === 1 ? "metric" : "metrics"}: ${said.join(", ")}`;
}
