/** The parity sheet: a line for each thing that was not alike, what each variant's runs saw. */
import type { Study } from "../../api/client";
import { count } from "../../parts/text";
import { VariantName } from "../../parts/variants";
import type { Mismatch } from "./mismatch";

/** How far a grade's tick reaches: the graver, the longer, as on a rule. */
const REACH: Record<Mismatch["grade"], number> = {
  "breaks the comparison": 22,
  "needs a word": 14,
  harmless: 7,
};

export function Sheet(props: {
  study: Study;
  mismatches: Mismatch[];
  chosen: string | undefined;
  choose: (identity: string) => void;
}) {
  const { study, mismatches } = props;
  if (!mismatches.length)
    return (
      <p className="mt-2 max-w-xl text-ink-2">
        Nothing was found. Once runs have been measured, their machines, the program's settings and
        the work that was done are compared here.
      </p>
    );
  return (
    <table className="mt-2 w-full table-fixed border-collapse">
      <colgroup>
        <col style={{ width: 186 }} />
        <col style={{ width: 168 }} />
        {study.variants.map((variant) => (
          <col key={variant.name} />
        ))}
        <col style={{ width: 118 }} />
      </colgroup>
      <thead>
        <tr className="border-b border-brass/60 text-left text-[12px] text-ink-2">
          <th className="py-1 font-normal">grade</th>
          <th className="py-1 font-normal">what</th>
          {study.variants.map((variant) => (
            <th key={variant.name} className="py-1 font-normal">
              <VariantName index={variant.position} name={variant.name} />
            </th>
          ))}
          <th className="py-1 font-normal">said of it</th>
        </tr>
      </thead>
      <tbody>
        {mismatches.map((part) => (
          <Line
            key={part.identity}
            part={part}
            chosen={part.identity === props.chosen}
            choose={() => props.choose(part.identity)}
          />
        ))}
      </tbody>
    </table>
  );
}

function Line(props: { part: Mismatch; chosen: boolean; choose: () => void }) {
  const { part } = props;
  return (
    <tr
      aria-selected={props.chosen}
      className={`cursor-pointer border-b border-line-2 align-baseline ${props.chosen ? "bg-brass-soft" : ""}`}
      onClick={props.choose}
    >
      <td className="py-1">
        <Grade part={part} />
      </td>
      <td className="py-1 pr-2">
        <button type="button" className="text-left font-medium" onClick={props.choose}>
          {part.name}
        </button>
      </td>
      {part.values.map((side, index) => (
        <td key={index} className="py-1 pr-3">
          {side.slice(0, 3).map((found) => (
            <span key={found.value} className="block break-words" title={found.value}>
              {found.value}{" "}
              {side.length > 1 && (
                <span className="text-[12px] text-ink-2">in {count(found.runs, "run")}</span>
              )}
            </span>
          ))}
          {side.length > 3 && (
            <span className="text-[12px] text-ink-2">and {side.length - 3} others</span>
          )}
        </td>
      ))}
      <td className="py-1 text-[12px]">
        {part.waived ? (
          <span>settled by {part.waived.by}</span>
        ) : part.is_factor ? (
          <span className="text-ink-2">what is compared</span>
        ) : part.grade === "harmless" ? (
          <span className="text-ink-2">nothing needed</span>
        ) : (
          <span className="text-brass">not settled</span>
        )}
      </td>
    </tr>
  );
}

export function Grade(props: { part: Mismatch }) {
  const { part } = props;
  const grave = part.grade === "breaks the comparison" && !part.waived;
  return (
    <span className={`whitespace-nowrap ${grave ? "font-semibold text-behind" : ""}`}>
      <svg width="26" height="11" aria-hidden="true" className="mr-1 inline-block align-[-1px]">
        <line x1="1" x2="1" y1="0" y2="11" stroke="var(--brass)" strokeWidth="2" />
        <line
          x1="1"
          x2={1 + REACH[part.grade]}
          y1="5.5"
          y2="5.5"
          stroke={grave ? "var(--behind)" : "var(--ink-2)"}
          strokeWidth={part.waived ? 1 : 3}
          strokeDasharray={part.waived ? "2 2" : undefined}
        />
      </svg>
      {part.grade}
    </span>
  );
}
