/** A verdict, always in words. */
import type { Schemas } from "../api/client";

export function Verdict(props: { of: Schemas["VerdictEnum"] }) {
  return <span className={`verdict verdict-${props.of}`}>{props.of}</span>;
}
