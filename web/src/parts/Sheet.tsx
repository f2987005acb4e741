/** A sheet that is filled in beside a vertical rule, in the order people think. */
import type { ReactNode } from "react";

/** How far a part is: said by a person, proposed and may stand, or missing. */
export type Graduation = "said" | "proposed" | "missing";

const RULES: Record<Graduation, string> = {
  said: "sheet-rule",
  proposed: "sheet-rule-proposed",
  missing: "sheet-rule-missing",
};

export function SheetPart(props: {
  name: string;
  /** How it stands, in two or three words. */
  note: string;
  state: Graduation;
  trouble?: boolean;
  children: ReactNode;
}) {
  const colour = props.trouble ? "text-behind" : "text-ink-2";
  return (
    <section aria-label={props.name} className="grid grid-cols-[30px_118px_minmax(0,1fr)]">
      <span aria-hidden="true" className={RULES[props.state]} />
      <div className="border-b border-line py-3 pr-2 pl-4">
        <h2 className="text-[13.5px] font-semibold">{props.name}</h2>
        <p className={`text-[12px] leading-tight ${colour}`}>{props.note}</p>
      </div>
      <div className="min-w-0 border-b border-line py-3 pr-5">{props.children}</div>
    </section>
  );
}
