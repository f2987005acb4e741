/** What is said beside a verdict; where a person may settle it, with the way there. */
import { Link, useParams } from "react-router";
import type { Schemas } from "../api/client";

export function Caveat(props: { of: Schemas["Sentence"] }) {
  const { study } = useParams();
  const { text, waivable } = props.of;
  if (!waivable) return text;
  return (
    <>
      {text}:{" "}
      <Link className="plain" to={`/studies/${study}/match`}>
        to settle
      </Link>
    </>
  );
}
