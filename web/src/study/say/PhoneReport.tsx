/** A report in one hand: the newest that was issued and holds, else the draft. */
import { Link, useSearchParams } from "react-router";
import type { Study } from "../../api/client";
import { useIssued, useIssuedReport, useReport } from "../../api/report";
import { Trouble, Waiting } from "../../parts/Trouble";
import { moment } from "../../parts/text";
import { Paper } from "./Paper";

export function PhoneReport(props: { study: Study }) {
  const { study } = props;
  const [search] = useSearchParams();
  const issued = useIssued(study.id);
  const newest = issued.data?.find((one) => !one.withdrawn)?.number;
  const number = Number(search.get("no")) || newest;
  const draft = useReport(study.id, issued.isSuccess && number === undefined);
  const report = useIssuedReport(study.id, number);
  const error = issued.error ?? report.error ?? draft.error;
  const at = issued.data?.find((one) => one.number === number)?.at;
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 bg-head px-4 text-head-ink">
        <Link to="/" aria-label="all studies">
          <img src="/yardstick.svg" alt="" width={26} height={18} />
        </Link>
        <span className="min-w-0 flex-1 truncate font-semibold">
          {number === undefined ? "Report, a draft" : `Report ${number}`}
        </span>
        {at && <span className="text-[12px] text-head-ink-2">issued {moment(at)}</span>}
      </header>
      <main tabIndex={0} className="min-h-0 flex-1 overflow-auto bg-card">
        {error && <Trouble what="The report" error={error} again={() => issued.refetch()} />}
        {!error && !report.data && !draft.data && <Waiting what="the report" />}
        {report.data && (
          <Paper whole html={report.data.html} style={report.data.style} label="issued" />
        )}
        {draft.data && (
          <Paper
            whole
            html={`<article class="report">${draft.data.head}${draft.data.sections
              .filter((one) => one.on)
              .map((one) => one.html)
              .join("")}</article>`}
            style={draft.data.style}
            label="draft"
          />
        )}
      </main>
    </div>
  );
}
