/** Metrics of a variant in two kinds of runs, each on a small rule of its own. */
import type { Schemas } from "../../api/client";
import { variantColour } from "../../parts/variants";
import { GainMark, RuleGround } from "../../rule/marks";
import { reachFor, ruleScale } from "../../rule/scale";

type PairedComparison = Schemas["PairedComparison"];
const WIDTH = 120;
const HEIGHT = 18;

export function ComparedLines(props: { compared: PairedComparison[] }) {
  const reach = reachFor(props.compared.map((one) => one.difference.gain ?? Number.NaN));
  const scale = ruleScale(WIDTH, reach);
  return (
    <ul className="mt-2">
      {props.compared.map((one) => (
        <li
          key={`${one.variant} ${one.stretch.join("/")} ${one.metric}`}
          className="grid grid-cols-[120px_1fr] items-center gap-3 border-b border-line-2 py-0.5"
        >
          <svg width={WIDTH} height={HEIGHT} aria-hidden="true">
            <RuleGround scale={scale} height={HEIGHT} band={one.difference.band} />
            {one.difference.gain != null && (
              <GainMark
                scale={scale}
                width={WIDTH}
                middle={HEIGHT / 2}
                colour={variantColour(one.variant)}
                gain={one.difference.gain}
                low={one.difference.gain_low}
                high={one.difference.gain_high}
                open={one.difference.verdict === "open"}
              />
            )}
          </svg>
          <span className={one.matters ? "font-medium" : ""}>{one.text}</span>
        </li>
      ))}
    </ul>
  );
}
