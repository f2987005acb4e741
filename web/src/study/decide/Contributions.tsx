/** Where a difference comes from: parts that add up exactly to the whole, better to the right. */
import { Link } from "react-router";
import type { Decision, Schemas, Study } from "../../api/client";
import { VariantName, variantColour } from "../../parts/variants";
import { readLink } from "./links";
import { extent, telling } from "./parts";

const WIDTH = 300;
type Breakdown = Schemas["Breakdown"];

export function Contributions(props: { study: Study; decision: Decision }) {
  const { decision, study } = props;
  const groups = Map.groupBy(
    decision.breakdowns,
    (one) => `${one.metric}~${one.stretch.join("~")}`,
  );
  const shown = [...groups.values()].filter((group) => group.some((one) => telling(one)));
  if (!shown.length) return null;
  return (
    <section className="mt-5 border-t border-line pt-3">
      <h2 className="font-semibold">
        Where it comes from{" "}
        <span className="font-normal text-ink-2">
          parts add up exactly to the whole; better to the right
        </span>
      </h2>
      {shown.map((group) => (
        <Group key={group[0]?.label} study={study} decision={decision} group={group} />
      ))}
    </section>
  );
}

function Group(props: { study: Study; decision: Decision; group: Breakdown[] }) {
  const { decision, group, study } = props;
  const reach = extent(group);
  const first = group[0] as Breakdown;
  return (
    <div className="mt-3">
      <h3>
        <Link className="font-medium hover:underline" to={readLink(study, decision, first)}>
          {first.label}
        </Link>{" "}
        <span className="text-ink-3">{first.stretch.length > 1 ? first.stretch[0] : ""}</span>
      </h3>
      {group.map((one) => (
        <div key={one.candidate} className="mt-1">
          <p className="flex gap-2">
            <VariantName index={one.candidate} name={decision.variants[one.candidate] ?? ""} />
            <span>{one.text} in all</span>
          </p>
          <table className="w-full">
            <tbody>
              {one.parts.map((part) => (
                <tr key={part.label} className="border-b border-line-2">
                  <td className="w-36 py-0.5 pl-4">{part.label}</td>
                  <td style={{ width: WIDTH }}>
                    <PartBar part={part} whole={one} reach={reach} />
                  </td>
                  <td className="w-24 text-right whitespace-nowrap">{part.text}</td>
                  <td className="text-right text-[12px] whitespace-nowrap text-ink-2">
                    {part.interval}
                    {part.only_in && ` · only in the ${part.only_in}`}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      ))}
    </div>
  );
}

function PartBar(props: { part: Schemas["Part"]; whole: Breakdown; reach: number }) {
  const { part, whole } = props;
  const gain = (whole.higher_is_better ? 1 : -1) * part.change;
  const middle = WIDTH / 2;
  const length = (Math.abs(gain) / props.reach) * (middle - 4);
  return (
    <svg width={WIDTH} height={14} className="block" aria-hidden="true">
      <line x1={middle} x2={middle} y1={0} y2={14} stroke="var(--ink-2)" strokeWidth={1.5} />
      <rect
        x={gain > 0 ? middle : middle - length}
        width={Math.max(length, 0.5)}
        y={3}
        height={8}
        fill={variantColour(whole.candidate)}
        fillOpacity={0.55}
      />
    </svg>
  );
}
