/** The order of a report as a rule ruled in pages: each section as long as it prints. */
import { useState } from "react";
import type { Report, ReportSection } from "../../api/report";

/** Height of what fits on a page of paper, in the px that the report is measured in. */
export const PAGE_PX = 1180;

export function Sections(props: {
  report: Report;
  lengths: Record<string, number>;
  chosen: string;
  mayChange: boolean;
  choose: (key: string) => void;
  move: (key: string, by: number) => void;
  drop: (key: string, at: string, behind: boolean) => void;
  toggle: (key: string) => void;
}) {
  const { report, lengths } = props;
  const [dragged, setDragged] = useState<string | null>(null);
  const inIt = report.sections.filter((one) => one.on && one.html);
  const empty = report.sections.filter((one) => one.on && !one.html && one.key !== "own");
  const out = report.sections.filter((one) => !one.on);
  const total = inIt.reduce((sum, one) => sum + (lengths[one.key] ?? 0), 0);
  let before = 0;
  const starts = inIt.map((one) => {
    const page = Math.floor(before / PAGE_PX) + 1;
    before += lengths[one.key] ?? 0;
    return page;
  });
  return (
    <nav aria-label="sections" className="flex h-full min-h-0 flex-col overflow-auto py-3 pr-2">
      <p className="flex items-baseline justify-between pr-1 pl-4">
        <span className="font-semibold">{(total / PAGE_PX).toFixed(1)} pages</span>
        {props.mayChange && (
          <span className="text-[11px] text-ink-2">drag, or Alt with arrows</span>
        )}
      </p>
      <ol className="mt-1 flex flex-1 flex-col">
        {inIt.map((section, place) => (
          <li
            key={section.key}
            className="flex min-h-9"
            style={{ flex: `${Math.max(1, lengths[section.key] ?? 1)} 0 36px` }}
            draggable={props.mayChange && !section.fixed}
            onDragStart={() => setDragged(section.key)}
            onDragOver={(event) => event.preventDefault()}
            onDrop={(event) => {
              event.preventDefault();
              const from = inIt.findIndex((one) => one.key === dragged);
              if (dragged && dragged !== section.key)
                props.drop(dragged, section.key, from < place);
              setDragged(null);
            }}
          >
            <span className="sheet-rule w-9 shrink-0 pl-1.5 text-[11px] text-brass-ink">
              {(place === 0 || starts[place] !== starts[place - 1]) && (
                <>
                  <span className="sr-only">page </span>
                  <b>{starts[place]}</b>
                </>
              )}
            </span>
            <Item {...props} section={section} />
          </li>
        ))}
      </ol>
      {out.length > 0 && (
        <>
          <h2 className="mt-3 pl-4 font-semibold">Left out</h2>
          <ul className="pl-4">
            {out.map((section) => (
              <li key={section.key} className="flex items-baseline gap-2">
                <span className="min-w-0 flex-1 truncate text-ink-2">{section.title}</span>
                {props.mayChange && (
                  <button
                    type="button"
                    className="act"
                    aria-label={`put back ${section.title}`}
                    onClick={() => props.toggle(section.key)}
                  >
                    put back
                  </button>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
      {empty.length > 0 && (
        <p className="mt-3 pl-4 text-[12px] text-ink-3">
          Nothing to say yet: {empty.map((one) => one.title.toLowerCase()).join(", ")}
        </p>
      )}
    </nav>
  );
}

function Item(props: {
  section: ReportSection;
  chosen: string;
  mayChange: boolean;
  choose: (key: string) => void;
  move: (key: string, by: number) => void;
  toggle: (key: string) => void;
}) {
  const { section } = props;
  const chosen = props.chosen === section.key;
  return (
    <div
      className={`flex min-w-0 flex-1 items-start border-t border-line-2 pt-0.5 pl-1.5 ${chosen ? "bg-brass-soft" : ""}`}
    >
      <button
        type="button"
        className="min-w-0 flex-1 text-left leading-tight"
        aria-current={chosen}
        onClick={() => props.choose(section.key)}
        onKeyDown={(event) => {
          const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
          if (event.altKey && by && props.mayChange) {
            event.preventDefault();
            props.move(section.key, by);
          } else if (event.key === "o" && props.mayChange && !section.fixed) {
            event.stopPropagation();
            props.toggle(section.key);
          }
        }}
      >
        <span className={`block truncate ${section.fixed ? "font-semibold" : ""}`}>
          {section.fixed && <Rivet />}
          {section.title}
        </span>
        <span className="block truncate text-[11px] text-ink-2">{section.brief}</span>
      </button>
      {chosen && props.mayChange && !section.fixed && (
        <button
          type="button"
          className="act shrink-0 pr-1"
          title="leave it out of the report (o)"
          aria-label={`leave out ${section.title}`}
          onClick={() => props.toggle(section.key)}
        >
          leave out
        </button>
      )}
    </div>
  );
}

/** What cannot be taken off. */
function Rivet() {
  return (
    <svg width="10" height="10" className="mr-1 inline-block align-[-1px]" role="img">
      <title>cannot be left out</title>
      <circle cx="5" cy="5" r="4.2" fill="var(--brass-soft)" stroke="var(--brass)" />
      <line x1="2.4" y1="7.6" x2="7.6" y2="2.4" stroke="var(--brass)" strokeWidth="1.6" />
    </svg>
  );
}
