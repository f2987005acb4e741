/** Say: the report as it will go out, arranged and worded in place, issued and taken along. */
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Study } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useSession } from "../../api/queries";
import {
  type Arrangement,
  type Report,
  type ReportSection,
  useArrange,
  useIssuedReport,
  useReport,
} from "../../api/report";
import { useKeys } from "../../parts/keyboard";
import { Trouble, Waiting } from "../../parts/Trouble";
import { useOfferUndo } from "../../parts/Undo";
import { arrangementOf, moved, placed, toggled, worded } from "./arrangement";
import { FigureDesk, Figures } from "./FigureDesk";
import { Going } from "./Going";
import { Paper } from "./Paper";
import { Sections } from "./Sections";
import { Words } from "./Words";

export function Say(props: { study: Study }) {
  const { study } = props;
  const report = useReport(study.id);
  const [search] = useSearchParams();
  const guest = useSession().data?.study != null;
  // whoever was shown the study reads what was issued; drafts are for those who write them
  const newest = report.data?.issued.find((one) => !one.withdrawn)?.number;
  const asked = Number(search.get("no")) || (guest ? newest : undefined);
  if (report.isPending) return <Waiting what="the report" />;
  if (report.error)
    return <Trouble what="The report" error={report.error} again={() => report.refetch()} />;
  const figure = search.get("figure");
  return <Desk study={study} report={report.data} read={asked} figure={figure} />;
}

function Desk(props: {
  study: Study;
  report: Report;
  read: number | undefined;
  figure: string | null;
}) {
  const { study, report } = props;
  const mayChange = useMayChange();
  const arrange = useArrange(study.id);
  const offerUndo = useOfferUndo();
  const [chosen, setChosen] = useState("answer");
  const [wording, setWording] = useState<string | null>(null);
  const [lengths, setLengths] = useState<Record<string, number>>({});
  const keep = (next: Arrangement, what: string) => {
    const before = arrangementOf(report);
    arrange.mutate(next, {
      onSuccess: (kept) =>
        offerUndo({
          text: what,
          undo: () => arrange.mutate({ ...before, revision: kept.revision }),
        }),
    });
  };
  // an issued report is read as it stands: there is nothing beside it to arrange
  const whole = props.read !== undefined && !props.figure;
  const title = (key: string) =>
    report.sections.find((one) => one.key === key)?.title.toLowerCase() ?? key;
  const toggle = (key: string) => {
    const on = report.sections.find((one) => one.key === key)?.on;
    keep(toggled(report, key), on ? `Left out: ${title(key)}` : `Put back: ${title(key)}`);
  };
  useKeys(
    "Say",
    mayChange && props.read === undefined
      ? [
          {
            keys: "w",
            does: "write words of your own at the chosen section",
            act: () => setWording(chosen),
          },
        ]
      : [],
  );
  return (
    <div
      className={`grid h-full ${whole ? "grid-cols-[minmax(0,1fr)_340px]" : "grid-cols-[216px_minmax(0,1fr)_340px]"}`}
    >
      <div className={whole ? "hidden" : "min-h-0 border-r border-line"}>
        {props.figure && <Figures report={report} figure={props.figure} />}
        {!props.figure && !whole && (
          <Sections
            report={report}
            lengths={lengths}
            chosen={chosen}
            mayChange={mayChange}
            choose={(key) => {
              setChosen(key);
              document.getElementById(`say-${key}`)?.scrollIntoView({ block: "nearest" });
            }}
            move={(key, by) => keep(moved(report, key, by), `Moved: ${title(key)}`)}
            drop={(key, at, behind) =>
              keep(placed(report, key, at, behind), `Moved: ${title(key)}`)
            }
            toggle={toggle}
          />
        )}
      </div>
      <div tabIndex={0} className="min-h-0 overflow-auto bg-card pb-10">
        {arrange.error && (
          <p role="alert" className="mx-10 mt-2 text-behind">
            {arrange.error.message}
          </p>
        )}
        {props.figure && (
          <FigureDesk study={study} report={report} figure={props.figure} read={props.read} />
        )}
        {props.figure ? null : props.read === undefined ? (
          <>
            <Paper html={report.head} style={report.style} label="head" />
            {report.sections
              .filter((one) => one.on)
              .map((section) => (
                <Part
                  key={section.key}
                  study={study}
                  report={report}
                  section={section}
                  chosen={chosen === section.key}
                  mayChange={mayChange}
                  wording={wording === section.key}
                  measured={(height) =>
                    setLengths((now) =>
                      now[section.key] === height ? now : { ...now, [section.key]: height },
                    )
                  }
                  word={() => {
                    setChosen(section.key);
                    setWording(section.key);
                  }}
                  keep={(text) => keep(worded(report, section.key, text), "Words kept")}
                  close={() => setWording(null)}
                />
              ))}
          </>
        ) : (
          <Read study={study} number={props.read} />
        )}
      </div>
      <aside tabIndex={0} className="min-h-0 overflow-auto border-l border-line px-5 py-4">
        <Going study={study} report={report} mayChange={mayChange} read={props.read} />
      </aside>
    </div>
  );
}

/** One section as it prints, with a place for words of one's own. */
function Part(props: {
  study: Study;
  report: Report;
  section: ReportSection;
  chosen: boolean;
  mayChange: boolean;
  wording: boolean;
  measured: (height: number) => void;
  word: () => void;
  keep: (text: string) => void;
  close: () => void;
}) {
  const { section, report, measured } = props;
  const place = useRef<HTMLDivElement>(null);
  const tell = useRef(measured);
  tell.current = measured;
  useEffect(() => {
    const element = place.current;
    if (!element) return;
    const watch = new ResizeObserver(() => tell.current(element.offsetHeight));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const own = section.key === "own";
  const words = section.words ? "change these words" : own ? "Add words of your own" : "add words";
  return (
    <div
      id={`say-${section.key}`}
      className={`group relative ${props.chosen ? "shadow-[inset_3px_0_0_var(--brass)]" : ""}`}
    >
      {props.mayChange && !props.wording && (section.html || own) && (
        <button
          type="button"
          className={`act ${
            own && !section.words
              ? "mx-10 my-1 block"
              : "absolute top-4 right-10 z-10 bg-card px-1 opacity-0 group-hover:opacity-100 focus:opacity-100"
          }`}
          onClick={props.word}
        >
          {words}
          <span className="sr-only"> at {section.title}</span>
        </button>
      )}
      {props.wording && (
        <Words
          label={`words at ${section.title}`}
          text={section.words?.text ?? ""}
          numbers={report.numbers}
          variants={props.study.variants.map((one) => one.name)}
          keep={props.keep}
          close={props.close}
        />
      )}
      <div ref={place} className={props.wording && section.words ? "opacity-50" : ""}>
        {section.html && <Paper html={section.html} style={report.style} label={section.key} />}
      </div>
    </div>
  );
}

/** A report as it was issued. */
function Read(props: { study: Study; number: number }) {
  const issued = useIssuedReport(props.study.id, props.number);
  if (issued.isPending) return <Waiting what={`report no. ${props.number}`} />;
  if (issued.error)
    return <Trouble what="This report" error={issued.error} again={() => issued.refetch()} />;
  return <Paper whole html={issued.data.html} style={issued.data.style} label="issued" />;
}
