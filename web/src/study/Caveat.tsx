/** What is said beside a verdict; where a person may settle it, with the way there. */
import { Link, useParams } from "react-router";

const TO_SETTLE = ": to settle";

export function Caveat(props: { text: string }) {
  const { study } = useParams();
  const { text } = props;
  if (!text.endsWith(TO_SETTLE)) return text;
  return (
    <>
      {text.slice(0, -TO_SETTLE.length)}:{" "}
      <Link className="plain" to={`/studies/${study}/match`}>
        to settle
      </Link>
    </>
  );
}
