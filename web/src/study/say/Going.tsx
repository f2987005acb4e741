/** How a report goes out: issued, withdrawn, and taken along in every form. */
import { useState } from "react";
import { Link } from "react-router";
import type { Study } from "../../api/client";
import {
  fileAddress,
  type IssuedReport,
  type Report,
  useIssue,
  useWithdraw,
} from "../../api/report";
import { copied } from "../../parts/clipboard";
import { count, moment } from "../../parts/text";
import { Share } from "../ask/Share";
import { Gates } from "./Gates";
import { TakeBundle } from "./TakeBundle";

const FORMS = [
  ["html", "HTML", "one file, no script, prints well", "save"],
  ["pdf", "PDF", "A4", "save"],
  ["markdown", "Markdown", "for a merge request", "copy"],
  ["csv", "CSV", "every metric and difference", "save"],
  ["json", "JSON", "the same with samples and definitions", "save"],
] as const;

export function Going(props: {
  study: Study;
  report: Report;
  mayChange: boolean;
  read: number | undefined;
}) {
  const { study, report } = props;
  return (
    <>
      {props.mayChange && props.read === undefined && <Issuing {...props} />}
      <Issued {...props} />
      <h2 className="mt-5 font-semibold">
        Take it along{" "}
        <span className="font-normal text-ink-2">
          {props.read === undefined ? "as it is now" : `no. ${props.read} as it was issued`}
        </span>
      </h2>
      <ul>
        {FORMS.map(([kind, name, about, act]) => (
          <li key={kind} className="flex items-baseline gap-2 border-b border-line-2 py-1">
            <span className="w-20 font-semibold">{name}</span>
            <span className="min-w-0 flex-1 truncate text-ink-2">{about}</span>
            {act === "copy" && <CopyText address={fileAddress(study.id, kind, props.read)} />}
            <a className="act" href={fileAddress(study.id, kind, props.read)} download>
              save<span className="sr-only"> {name}</span>
            </a>
          </li>
        ))}
        {props.mayChange && <TakeBundle study={study} />}
        {report.figures[0] && (
          <li className="flex items-baseline gap-2 border-b border-line-2 py-1">
            <span className="w-20 font-semibold">Figure</span>
            <span className="min-w-0 flex-1 truncate text-ink-2">for a slide or a film</span>
            <Link className="act" to={figureLink(props.read, report.figures[0].key)}>
              choose<span className="sr-only"> a figure</span>
            </Link>
          </li>
        )}
      </ul>
      {report.issued.length === 0 && props.mayChange && (
        <p className="mt-1 text-[12px] text-ink-2">
          What is taken along before it is issued is marked as a draft.
        </p>
      )}
      <Share study={study} />
      {props.mayChange && <Gates study={study} mayChange={props.mayChange} />}
    </>
  );
}

function figureLink(read: number | undefined, key: string): string {
  const query = new URLSearchParams({ figure: key });
  if (read !== undefined) query.set("no", String(read));
  return `?${query}`;
}

function CopyText(props: { address: string }) {
  const [said, setSaid] = useState("");
  const take = async () => {
    try {
      const answer = await fetch(props.address, { credentials: "same-origin" });
      if (!answer.ok) throw new Error();
      setSaid(await copied(await answer.text(), "report.md"));
    } catch {
      setSaid("the server cannot be reached");
    }
  };
  return (
    <button type="button" className="act" onClick={take} aria-live="polite">
      {said || "copy"}
      <span className="sr-only"> Markdown</span>
    </button>
  );
}

function Issuing(props: { study: Study; report: Report }) {
  const { report, study } = props;
  const issue = useIssue(study.id);
  const next = (report.issued[0]?.number ?? 0) + 1;
  const unknown = report.sections.flatMap((section) => (section.on ? section.unknown : []));
  return (
    <section aria-label="issue it">
      <p className="text-[16px] leading-snug">
        {report.since ? report.since.text : "Nothing of this study has been issued yet."}
      </p>
      {report.since && report.since.changes.length > 0 && (
        <table className="mt-2 w-full text-[12px]">
          <thead>
            <tr className="border-b border-line text-left text-ink-2">
              <th className="font-normal">what</th>
              <th className="font-normal">no. {report.since.number}</th>
              <th className="font-normal">now</th>
            </tr>
          </thead>
          <tbody>
            {report.since.changes.slice(0, 8).map((change) => (
              <tr key={`${change.what}~${change.now}`} className="border-b border-line-2 align-top">
                <td className="pr-2">{change.what}</td>
                <td className="pr-2 text-ink-2">{change.before}</td>
                <td>{change.now}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {report.since && report.since.changes.length > 8 && (
        <p className="text-[12px] text-ink-2">and {report.since.changes.length - 8} more</p>
      )}
      {unknown.length > 0 && (
        <p role="alert" className="mt-2 text-behind">
          In your words {count(unknown.length, "number")} cannot be found any more:{" "}
          {unknown.join(", ")}
        </p>
      )}
      <div className="mt-3 flex items-center gap-3">
        <button
          type="button"
          className="button whitespace-nowrap"
          disabled={issue.isPending || study.metrics === 0 || unknown.length > 0}
          onClick={() => issue.mutate(report.rests_on)}
        >
          Issue as no. {next}
        </button>
        <span className="text-[12px] text-ink-2">
          {study.metrics === 0
            ? "nothing has been measured yet"
            : "freezes words, numbers and pictures with your name and a digest"}
        </span>
      </div>
      {issue.error && (
        <p role="alert" className="mt-1 text-behind">
          {issue.error.message}
        </p>
      )}
    </section>
  );
}

function Issued(props: {
  study: Study;
  report: Report;
  mayChange: boolean;
  read: number | undefined;
}) {
  const { report, study } = props;
  const [withdrawn, setWithdrawn] = useState<number | null>(null);
  if (report.issued.length === 0) return null;
  return (
    <section aria-label="issued reports" className={props.mayChange ? "mt-5" : ""}>
      <h2 className="font-semibold">Issued</h2>
      <ul>
        {report.issued.map((one) => (
          <li key={one.number} className="border-b border-line-2 py-1">
            <div className="flex items-baseline gap-2">
              <span className={`w-5 font-semibold ${one.withdrawn ? "line-through" : ""}`}>
                {one.number}
              </span>
              <span className="min-w-0 flex-1 truncate">
                {moment(one.at)} · {one.by}
              </span>
              {props.read === one.number && !props.mayChange ? (
                <span className="text-ink-2">shown</span>
              ) : props.read === one.number ? (
                <Link className="act" to={`/studies/${study.id}/say`}>
                  back to the draft
                </Link>
              ) : (
                <Link className="act" to={`/studies/${study.id}/say?no=${one.number}`}>
                  read<span className="sr-only"> no. {one.number}</span>
                </Link>
              )}
              {props.mayChange && !one.withdrawn && (
                <button type="button" className="act" onClick={() => setWithdrawn(one.number)}>
                  withdraw
                </button>
              )}
            </div>
            <p className="truncate pl-7 font-mono text-[11px] text-ink-2">
              {one.digest.slice(0, 4)} {one.digest.slice(4, 8)} {one.digest.slice(8, 12)} ·{" "}
              {count(one.rounds, "round")}
            </p>
            {one.withdrawn && (
              <p className="pl-7 text-[12px] text-behind">withdrawn: {one.withdrawn_reason}</p>
            )}
            {withdrawn === one.number && !one.withdrawn && (
              <Withdrawing study={study} report={one} close={() => setWithdrawn(null)} />
            )}
          </li>
        ))}
      </ul>
      {props.mayChange && (
        <p className="mt-1 text-[12px] text-ink-2">
          Withdrawing needs a reason and leaves the number standing; nothing issued is edited.
        </p>
      )}
    </section>
  );
}

function Withdrawing(props: { study: Study; report: IssuedReport; close: () => void }) {
  const withdraw = useWithdraw(props.study.id);
  const [reason, setReason] = useState("");
  return (
    <form
      className="flex items-baseline gap-2 pl-7"
      onSubmit={(event) => {
        event.preventDefault();
        if (reason.trim())
          withdraw.mutate(
            { number: props.report.number, reason: reason.trim() },
            { onSuccess: props.close },
          );
      }}
    >
      <input
        aria-label={`why no. ${props.report.number} is withdrawn`}
        className="line-field min-w-0 flex-1"
        placeholder="why it does not hold"
        maxLength={400}
        // biome-ignore lint/a11y/noAutofocus: it was opened to be filled in
        autoFocus
        value={reason}
        onChange={(event) => setReason(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && props.close()}
      />
      <button type="submit" className="act" disabled={!reason.trim() || withdraw.isPending}>
        withdraw it
      </button>
      {withdraw.error && <span className="text-behind">{withdraw.error.message}</span>}
    </form>
  );
}
