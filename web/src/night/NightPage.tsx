/** Rigs at night: what asks for a person first, then what failed, then what is still to come. */
import { Link, useSearchParams } from "react-router";
import { type Night, useNight } from "../api/night";
import { Header } from "../parts/Header";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, moment, roughly, significant } from "../parts/text";
import { Looks, VariantName } from "../parts/variants";

const SPANS: [number, string][] = [
  [14, "the last night"],
  [72, "three days"],
  [24 * 7, "a week"],
];
const GIB = 2 ** 30;

export function NightPage() {
  const [search, setSearch] = useSearchParams();
  const wanted = Number(search.get("hours"));
  const hours = SPANS.find(([span]) => span === wanted)?.[0] ?? 14;
  const night = useNight(hours);
  const choose = (span: number) => setSearch({ hours: String(span) }, { replace: true });
  useKeys(
    "Rigs at night",
    SPANS.map(([span, name], n) => ({ keys: String(n + 1), does: name, act: () => choose(span) })),
  );
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Header>
        <Link to="/rigs">Rigs</Link> <span className="px-1">/</span>{" "}
        <span className="font-semibold text-head-ink">At night</span>
      </Header>
      <main className="min-h-0 flex-1 overflow-auto px-6 py-4">
        <div className="flex items-baseline gap-5">
          <h1 className="text-[20px] font-semibold">Rigs at night</h1>
          {SPANS.map(([span, name]) => (
            <button
              key={span}
              type="button"
              className={span === hours ? "font-semibold underline underline-offset-4" : "act"}
              aria-pressed={span === hours}
              onClick={() => choose(span)}
            >
              {name}
            </button>
          ))}
        </div>
        {night.isPending && <Waiting what="the night" />}
        {night.error && <Trouble what="The night" error={night.error} again={night.refetch} />}
        {night.data && <Body night={night.data} />}
      </main>
    </div>
  );
}

function Body(props: { night: Night }) {
  const { night } = props;
  const measured = night.measured.reduce((sum, one) => sum + one.runs, 0);
  const again = night.failed.filter((one) => one.repeated_by !== null).length;
  return (
    <Looks baseline={0}>
      <p className="mt-2 max-w-3xl text-[16px]">
        {measured === 0 ? "No run ended" : `${count(measured, "run")} ended`} since{" "}
        {moment(night.since)}
        {measured > 0 &&
          (night.failed_in_all === 0
            ? ", all as they should"
            : `, ${night.failed_in_all} of them not as they should${again ? `; ${again} were repeated` : ""}`)}
        . {toCome(night)}
      </p>
      <div className="mt-5 grid grid-cols-[minmax(0,1fr)_400px] gap-10">
        <div className="grid content-start gap-7">
          <Failed night={night} />
          <Queue night={night} />
        </div>
        <Standing night={night} />
      </div>
    </Looks>
  );
}

function toCome(night: Night): string {
  const runs = night.queue.reduce((sum, one) => sum + one.runs + one.running.length, 0);
  if (!runs) return "Nothing is queued.";
  const when = night.until ? `until about ${moment(night.until)}` : "for a time nobody knows yet";
  return `${count(runs, "run")} to come, ${when}.`;
}

function Failed(props: { night: Night }) {
  const { night } = props;
  return (
    <section aria-label="What did not end as it should">
      <h2 className="font-semibold">What did not end as it should</h2>
      {night.failed.length === 0 && <p className="mt-1 text-ink-2">Nothing in this time.</p>}
      {night.failed.length > 0 && (
        <table className="mt-1 w-full border-collapse">
          <tbody>
            {night.failed.map((one) => (
              <tr key={one.run} className="border-b border-line-2 align-top">
                <td className="py-1.5 pr-3 whitespace-nowrap">
                  <Link className="plain" to={`/runs/${one.run}`}>
                    run {one.run}
                  </Link>
                  <div className="text-[12px] text-ink-2">{moment(one.ended)}</div>
                </td>
                <td className="py-1.5 pr-3">
                  <b className="text-behind">{one.outcome}</b>{" "}
                  <VariantName index={one.variant} name={one.variant_name} />
                  <span className="text-ink-2"> on {one.rig}</span>
                  <div className="text-[12.5px] text-ink-2">{one.detail}</div>
                </td>
                <td className="py-1.5 text-[12.5px]">
                  <Link className="plain" to={`/studies/${one.study}/measure`}>
                    {one.question}
                  </Link>
                  <div className="text-ink-2">
                    {one.repeated_by ? (
                      <Link to={`/runs/${one.repeated_by}`}>repeated by run {one.repeated_by}</Link>
                    ) : (
                      "not repeated"
                    )}
                  </div>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {night.failed_in_all > night.failed.length && (
        <p className="mt-1 text-ink-2">
          and {night.failed_in_all - night.failed.length} more, older than these
        </p>
      )}
    </section>
  );
}

function Queue(props: { night: Night }) {
  const { queue } = props.night;
  return (
    <section aria-label="What is queued">
      <h2 className="font-semibold">What is queued</h2>
      {queue.length === 0 && <p className="mt-1 text-ink-2">Nothing: every rig is free.</p>}
      {queue.length > 0 && (
        <table className="mt-1 w-full border-collapse">
          <thead>
            <tr className="text-left text-[12px] text-ink-2">
              <th className="py-1 font-normal">study</th>
              <th className="font-normal">rig</th>
              <th className="text-right font-normal">runs to come</th>
              <th className="text-right font-normal">a run takes</th>
              <th className="text-right font-normal">all of it</th>
            </tr>
          </thead>
          <tbody>
            {queue.map((one) => (
              <tr key={one.study} className="border-t border-line-2">
                <td className="py-1.5 pr-3">
                  <Link className="plain" to={`/studies/${one.study}/measure`}>
                    {one.question}
                  </Link>
                </td>
                <td className="pr-3 text-ink-2">{one.rig ?? "any"}</td>
                <td className="num text-right">{one.runs + one.running.length}</td>
                <td className="num text-right">
                  {one.each_s === null ? "not known" : roughly(one.each_s)}
                </td>
                <td className="num text-right">{one.left_s === null ? "" : roughly(one.left_s)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** What is known of a rig, part by part. */
function told(night: Night, rig: Night["rigs"][number]): string[] {
  const runs = night.measured.find((one) => one.rig === rig.name)?.runs ?? 0;
  const off = rig.clock_off_s;
  return [
    runs ? `${count(runs, "run")} measured` : "",
    rig.disk_free_bytes === null ? "" : `${significant(rig.disk_free_bytes / GIB)} GiB free`,
    off === null ? "" : `clock ${off < 0 ? "−" : "+"}${significant(Math.abs(off), 2)} s`,
    rig.older ? "agent of another release" : "",
  ].filter(Boolean);
}

function Standing(props: { night: Night }) {
  return (
    <section aria-label="How the rigs stand">
      <h2 className="font-semibold">How the rigs stand</h2>
      <ul className="mt-1">
        {props.night.rigs.map((rig) => (
          <li key={rig.name} className="border-b border-line-2 py-2">
            <div className="flex items-baseline gap-3">
              <Link className="plain font-medium" to={`/rigs/${rig.name}`}>
                {rig.name}
              </Link>
              <span className="flex-1 text-[12.5px] text-ink-2">
                {rig.last_seen ? `heard of ${moment(rig.last_seen)}` : "never seen"}
              </span>
            </div>
            <p className="text-[12.5px] text-ink-2">{told(props.night, rig).join(" · ")}</p>
            {rig.troubles.map((trouble) => (
              <p key={trouble} className="mt-0.5 text-behind">
                {trouble}
              </p>
            ))}
          </li>
        ))}
      </ul>
      <p className="mt-3 text-[12.5px] text-ink-2">
        A webhook tells you when a plan has ended; set one up under{" "}
        <Link className="plain" to="/people">
          people
        </Link>
        .
      </p>
    </section>
  );
}
