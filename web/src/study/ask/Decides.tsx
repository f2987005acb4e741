/** What decides: the metrics that the question is about, named before anything is looked at. */
import type { Study } from "../../api/client";
import { useClaimable, useTerm } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { SheetPart } from "../../parts/Sheet";
import { rowKey } from "../read/rows";
import { fullName, RowSelect } from "../rowChoice";

export function Decides(props: { study: Study }) {
  const { study } = props;
  const term = useTerm(study.id);
  const claimable = useClaimable(study.id);
  const named = study.deciding;
  const first = study.script.stretches[0]?.path.join("/");
  const afterLaunch = study.proposed_deciding?.stretch.join("/") !== first;
  const taken = new Set(named.map(rowKey));
  const rest = (claimable.data ?? []).filter((row) => !taken.has(rowKey(row)));
  const say = (row: { metric: string; stretch: string[] }, decides: boolean) =>
    term.mutate({
      metric: row.metric,
      stretch: row.stretch,
      decides,
    });
  return (
    <SheetPart
      name="What decides"
      note={named.length ? "said" : "proposed"}
      state={named.length ? "said" : "proposed"}
    >
      {named.length === 0 && (
        <p className="text-ink-2">
          {study.proposed_deciding
            ? `${fullName(study.proposed_deciding)}, the first thing that the session times${afterLaunch ? " after the launch" : ""}, unless you name something else.`
            : "The first thing that the session times, unless you name something else."}
        </p>
      )}
      <ul>
        {named.map((row) => (
          <li key={rowKey(row)} className="flex items-baseline gap-3">
            <b>{fullName(row)}</b>
            <Acts>
              <button type="button" className="act" onClick={() => say(row, false)}>
                take out
              </button>
            </Acts>
          </li>
        ))}
      </ul>
      <Acts>
        <p className="mt-1">
          <RowSelect
            label="name what decides"
            rows={rest}
            prompt={named.length ? "and also …" : "name what decides …"}
            choose={(row) => say(row, true)}
          />
        </p>
      </Acts>
      {term.error && (
        <p role="alert" className="text-behind">
          {term.error.message}
        </p>
      )}
    </SheetPart>
  );
}
