/** In which order the variants of a round to come take turns. */
import type { Plan, Study } from "../../api/client";
import { VariantMark } from "../../parts/variants";

export function RoundOrder(props: { round: Plan["coming"][number]; study: Study }) {
  const { round, study } = props;
  return (
    <span className="inline-flex items-center gap-1">
      {round.cold && "cold "}
      {round.order.map((variant) => (
        <svg key={variant} width="12" height="12" viewBox="-6 -6 12 12" aria-hidden="true">
          <VariantMark index={variant} x={0} y={0} radius={4.2} />
        </svg>
      ))}
      <span className="sr-only">
        {round.order.map((variant) => study.variants[variant]?.name).join(", ")}
      </span>
    </span>
  );
}
