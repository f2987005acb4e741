/** What was measured last: run, question, variant, how long it took and how it ended. */
import { Link } from "react-router";
import { useLatestRuns } from "../api/runs";
import { duration, moment } from "../parts/text";
import { Looks, VariantName } from "../parts/variants";

export function LatestRuns(props: { rig?: string; subject?: number; title: string }) {
  const runs = useLatestRuns({ rig: props.rig, subject: props.subject }).data;
  if (!runs) return null;
  return (
    <section className="mt-7">
      <h2 className="font-semibold">{props.title}</h2>
      {runs.length === 0 && <p className="text-ink-2">Nothing yet.</p>}
      {runs.length > 0 && (
        <table className="mt-1 w-full border-collapse">
          <thead>
            <tr className="border-b border-line text-left text-[12px] text-ink-2">
              <th className="py-1 font-normal">run</th>
              <th className="font-normal">variant</th>
              <th className="font-normal">question</th>
              {!props.rig && <th className="font-normal">rig</th>}
              <th className="text-right font-normal">took</th>
              <th className="pl-4 font-normal">began</th>
              <th className="font-normal">outcome</th>
            </tr>
          </thead>
          <tbody>
            {runs.map((run) => (
              <tr key={run.id} className="border-b border-line-2">
                <td className="py-1 pr-3">
                  <Link className="plain" to={`/runs/${run.id}`}>
                    {run.id}
                  </Link>
                </td>
                <td className="pr-3 whitespace-nowrap">
                  <Looks baseline={run.baseline}>
                    <VariantName index={run.variant} name={run.variant_name} />
                  </Looks>
                </td>
                <td className="max-w-80 truncate pr-3 text-ink-2">{run.question}</td>
                {!props.rig && <td className="pr-3 text-ink-2">{run.rig}</td>}
                <td className="text-right whitespace-nowrap">
                  {run.started && run.ended
                    ? duration((Date.parse(run.ended) - Date.parse(run.started)) / 1000)
                    : "…"}
                </td>
                <td className="pl-4 whitespace-nowrap text-ink-2">{moment(run.started)}</td>
                <td className={run.outcome && run.outcome !== "finished" ? "text-behind" : ""}>
                  {run.outcome || run.state}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
