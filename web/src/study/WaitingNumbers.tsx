/** Says that numbers read from the screen are doubted, and leads to where a person settles them. */
import { Link } from "react-router";
import type { Study } from "../api/client";
import { useSession } from "../api/queries";
import { count } from "../parts/text";

export function WaitingNumbers(props: { study: Study }) {
  const { study } = props;
  const guest = useSession().data?.study != null;
  if (guest || !study.waiting_numbers) return null;
  return (
    <p
      role="status"
      className="flex items-baseline gap-3 border-b border-line bg-brass-soft px-6 py-1.5"
    >
      <span>
        <b>{count(study.waiting_numbers, "number")}</b> on the screen could not be read for sure and{" "}
        {study.waiting_numbers === 1 ? "counts" : "count"} nowhere until you have looked.
      </span>
      <Link className="plain" to={`/studies/${study.id}/shown`}>
        Look at {study.waiting_numbers === 1 ? "it" : "them"}
      </Link>
    </p>
  );
}
