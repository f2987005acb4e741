/** One claim: its judgement, its sentence, and what the runs say of it. */
import { Link } from "react-router";
import type { Claim } from "../../api/client";
import { Caveat } from "../Caveat";
import { putUp } from "./putUp";

export const CLAIM_STYLES: Record<Claim["judgement"], string> = {
  "borne out": "verdict-ahead",
  contradicted: "verdict-behind",
  "not shown": "verdict-open",
};

export function ClaimLine(props: { claim: Claim; to: string }) {
  const { claim } = props;
  return (
    <>
      <span className={`verdict ${CLAIM_STYLES[claim.judgement]}`}>{claim.judgement}</span>{" "}
      <Link className="hover:underline" to={props.to}>
        {claim.statement}
      </Link>
      <span className="block text-[12px] text-ink-2">
        <Caveat of={claim.because} />
        {claim.source && ` · said by: ${claim.source}`}
        {` · ${putUp(claim.after)}`}
      </span>
    </>
  );
}
