/** Places of the variants in every main metric, with ties; points and the mean over all of them. */
import { Link } from "react-router";
import type { Decision, Study } from "../../api/client";
import { VariantName } from "../../parts/variants";
import { reachFor, ruleScale } from "../../rule/scale";
import { GainRule } from "./GainRule";
import { readLink } from "./links";

const WIDTH = 250;

export function Places(props: { study: Study; decision: Decision }) {
  const { decision, study } = props;
  const ranked = decision.places.filter((row) => row.places);
  const left = decision.places.length - ranked.length;
  if (decision.variants.length < 2) return null;
  const gains = decision.standings.filter((one) => one.variant !== decision.baseline);
  const reach = reachFor(gains.flatMap((one) => [one.gain ?? 0, one.low ?? 0, one.high ?? 0]));
  return (
    <section className="mt-4 border-t border-line pt-3">
      <h2 className="font-semibold">
        Places{" "}
        <span className="font-normal text-ink-2">
          in each main metric; too close to call share a place
        </span>
      </h2>
      <table className="mt-1 w-full">
        <thead>
          <tr className="border-b border-line text-[12px]">
            <th className="py-1 text-left font-normal text-ink-2">metric</th>
            {decision.variants.map((name, index) => (
              <th key={name} className="min-w-24 px-2 text-center font-normal">
                <VariantName index={index} name={name} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {decision.places.map((row) => (
            <tr key={`${row.metric}${row.stretch.join("~")}`} className="border-b border-line-2">
              <td className="py-0.5">
                <Link className="hover:underline" to={readLink(study, decision, row)}>
                  {row.label}
                </Link>
              </td>
              {row.places?.map((place, index) => (
                <td
                  key={decision.variants[index]}
                  className={`text-center ${place === 1 ? "font-semibold" : "text-ink-2"}`}
                >
                  {place}
                  {place === 1 && row.places?.every((other) => other === 1) && (
                    <span className="sr-only"> tied</span>
                  )}
                </td>
              )) ?? (
                <td
                  colSpan={decision.variants.length}
                  className="text-center text-[12px] text-ink-2"
                >
                  {row.unranked}
                </td>
              )}
            </tr>
          ))}
          <tr>
            <th scope="row" className="pt-1 text-left font-normal text-ink-2">
              points: places summed, fewer is better{left > 0 && `, over ${ranked.length} metrics`}
            </th>
            {decision.standings.map((one) => (
              <td key={one.variant} className="pt-1 text-center text-[15px] font-semibold">
                {ranked.length > 0 ? one.points : "–"}
              </td>
            ))}
          </tr>
        </tbody>
      </table>
      <div className="mt-2 grid grid-cols-[1fr_auto] items-center gap-6">
        <div>
          {gains.map((one) => (
            <p key={one.variant}>
              <VariantName index={one.variant} name={decision.variants[one.variant] ?? ""} />{" "}
              {one.together ? `${one.together}` : "has no mean yet"}
              <span className="text-ink-2"> over the main metrics, each counting alike</span>
            </p>
          ))}
          <p className="text-[12px] text-ink-2">
            A step that matters of one metric counts as much as of any other; what nobody would
            notice hardly counts. An average can still hide a loss behind a gain: the profiles above
            weigh metrics for one kind of user.
          </p>
        </div>
        <GainRule
          gains={gains}
          scale={ruleScale(WIDTH, reach)}
          band={gains.find((one) => one.band !== null)?.band ?? null}
          width={WIDTH}
          name="mean gain over the main metrics"
        />
      </div>
    </section>
  );
}
