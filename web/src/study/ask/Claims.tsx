/** Claims put to the test: what was promised or guessed, and what the runs say of it. */
import { useState } from "react";
import type { Board, Claim, Study } from "../../api/client";
import { useBoard, useClaims, useNewClaim, useTakeBackClaim } from "../../api/queries";
import { rowKey, rowName } from "../read/rows";
import { claimAmount } from "./claimAmount";

const STYLES: Record<Claim["judgement"], string> = {
  "borne out": "verdict-ahead",
  contradicted: "verdict-behind",
  "not shown": "verdict-open",
};

export function Claims(props: { study: Study }) {
  const claims = useClaims(props.study.id);
  const board = useBoard(props.study.id);
  const takeBack = useTakeBackClaim(props.study.id);
  const [adding, setAdding] = useState(false);
  const canAdd = (board.data?.rows.length ?? 0) > 0;
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="mb-1 font-semibold">Claims put to the test</h2>
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
            <span className={`verdict ${STYLES[claim.judgement]}`}>{claim.judgement}</span>
            <span>
              {claim.statement}
              <span className="block text-[12px] text-ink-2">
                {claim.because}
                {claim.source && ` · said by: ${claim.source}`}
              </span>
            </span>
            <button
              type="button"
              className="text-[12px] text-brass"
              onClick={() => takeBack.mutate(claim.id)}
            >
              take back
            </button>
          </li>
        ))}
      </ul>
      {adding && board.data ? (
        <NewClaim study={props.study} board={board.data} done={() => setAdding(false)} />
      ) : (
        canAdd && (
          <button type="button" className="button-quiet mt-3" onClick={() => setAdding(true)}>
            Put up a claim
          </button>
        )
      )}
    </section>
  );
}

const FIELD = "rounded-sm border border-line bg-card px-1.5 py-1";

function NewClaim(props: { study: Study; board: Board; done: () => void }) {
  const { board, study } = props;
  const add = useNewClaim(study.id);
  const rows = board.rows.filter((row) => row.judged);
  const [key, setKey] = useState(rowKey(rows[0] as (typeof rows)[number]));
  const [variant, setVariant] = useState(1);
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
      <select
        aria-label="metric"
        className={FIELD}
        value={key}
        onChange={(event) => setKey(event.target.value)}
      >
        {rows.map((candidate) => (
          <option key={rowKey(candidate)} value={rowKey(candidate)}>
            {candidate.stretch[0]}: {rowName(candidate).name}
            {rowName(candidate).of && ` of ${rowName(candidate).of}`}
          </option>
        ))}
      </select>
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
        {study.variants.slice(1).map((candidate) => (
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
