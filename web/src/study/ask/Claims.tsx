/** Claims put to the test: what was promised or guessed, and what the runs say of it. */
import { useState } from "react";
import type { Schemas, Study } from "../../api/client";
import { useClaimable, useClaims, useNewClaim, useTakeBackClaim } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { Trouble, Waiting } from "../../parts/Trouble";
import { Caveat } from "../Caveat";
import { rowKey } from "../read/rows";
import { RowSelect } from "../rowChoice";
import { CLAIM_STYLES } from "./ClaimLine";
import { claimAmount } from "./claimAmount";
import { putUp } from "./putUp";

export function Claims(props: { study: Study }) {
  const claims = useClaims(props.study.id);
  const takeBack = useTakeBackClaim(props.study.id);
  const [adding, setAdding] = useState(false);
  return (
    <section className="max-w-3xl">
      <h3 className="mb-1 font-semibold">Claims put to the test</h3>
      {claims.data?.length === 0 && (
        <p className="text-ink-2">
          None yet. Write down what the maker promises, or what you expect, before you look.
        </p>
      )}
      <ul>
        {claims.data?.map((claim) => (
          <li
            key={claim.id}
            className="grid grid-cols-[92px_1fr_auto] items-baseline gap-3 border-b border-line-2 py-1.5"
          >
            <span className={`verdict ${CLAIM_STYLES[claim.judgement]}`}>{claim.judgement}</span>
            <span>
              {claim.statement}
              <span className="block text-[12px] text-ink-2">
                <Caveat of={claim.because} />
                {claim.source && ` · said by: ${claim.source}`}
                {` · ${putUp(claim.after)}`}
              </span>
            </span>
            <Acts>
              <button
                type="button"
                className="text-[12px] text-brass"
                onClick={() => takeBack.mutate(claim.id)}
              >
                take back
              </button>
            </Acts>
          </li>
        ))}
      </ul>
      {adding ? (
        <Adding study={props.study} done={() => setAdding(false)} />
      ) : (
        <Acts>
          <button type="button" className="button-quiet mt-3" onClick={() => setAdding(true)}>
            Put up a claim
          </button>
        </Acts>
      )}
    </section>
  );
}

const FIELD = "field";

function Adding(props: { study: Study; done: () => void }) {
  const claimable = useClaimable(props.study.id);
  if (claimable.isPending) return <Waiting what="what can be claimed" />;
  if (claimable.error)
    return (
      <Trouble
        what="What can be claimed"
        error={claimable.error}
        again={() => claimable.refetch()}
      />
    );
  return <NewClaim study={props.study} rows={claimable.data} done={props.done} />;
}

function NewClaim(props: { study: Study; rows: Schemas["Claimable"][]; done: () => void }) {
  const { rows, study } = props;
  const add = useNewClaim(study.id);
  const [key, setKey] = useState(rowKey(rows[0] as (typeof rows)[number]));
  const candidates = study.variants.filter((one) => one.position !== study.baseline);
  const [variant, setVariant] = useState(candidates[0]?.position ?? 1);
  const [bound, setBound] = useState<"at least" | "no more than">("at least");
  const [way, setWay] = useState<"less" | "more">("less");
  const [size, setSize] = useState("20");
  const [source, setSource] = useState("");
  const row = rows.find((candidate) => rowKey(candidate) === key);
  const number = Number(size);
  const good = row && size.trim() !== "" && Number.isFinite(number) && number >= 0;
  const submit = (event: React.FormEvent) => {
    event.preventDefault();
    if (!good) return;
    add.mutate(
      {
        variant,
        stretch: row.stretch,
        metric: row.metric,
        source,
        ...claimAmount(bound, number, way),
      },
      { onSuccess: props.done },
    );
  };
  return (
    <form onSubmit={submit} className="mt-3 flex flex-wrap items-center gap-2">
      <RowSelect
        label="metric"
        rows={rows}
        value={key}
        choose={(chosen) => setKey(rowKey(chosen))}
      />
      is
      <select
        aria-label="bound"
        className={FIELD}
        value={bound}
        onChange={(event) => setBound(event.target.value as typeof bound)}
      >
        <option>at least</option>
        <option>no more than</option>
      </select>
      <input
        aria-label="amount"
        inputMode="decimal"
        className={`${FIELD} w-16 text-right`}
        value={size}
        onChange={(event) => setSize(event.target.value)}
      />
      {row?.in_percent === false ? row.unit || "counts" : "%"}
      <select
        aria-label="way"
        className={FIELD}
        value={way}
        onChange={(event) => setWay(event.target.value as typeof way)}
      >
        <option>less</option>
        <option>more</option>
      </select>
      in
      <select
        aria-label="candidate"
        className={FIELD}
        value={variant}
        onChange={(event) => setVariant(Number(event.target.value))}
      >
        {candidates.map((candidate) => (
          <option key={candidate.name} value={candidate.position}>
            {candidate.name}
          </option>
        ))}
      </select>
      <input
        aria-label="said by"
        placeholder="said by"
        className={`${FIELD} w-40`}
        maxLength={200}
        value={source}
        onChange={(event) => setSource(event.target.value)}
      />
      <button type="submit" className="button" disabled={!good || add.isPending}>
        Put it up
      </button>
      <button type="button" className="button-quiet" onClick={props.done}>
        Leave it
      </button>
      {add.error && (
        <p role="alert" className="w-full text-behind">
          {add.error.message}
        </p>
      )}
    </form>
  );
}
