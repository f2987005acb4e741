/** Which runs have ended, but are not yet in what the study says. */
import type { Study } from "../../api/client";
import { runsBeingRead } from "./remaining";

export function BeingRead(props: { study: Study }) {
  const runs = runsBeingRead(props.study.runs);
  if (!runs.length) return null;
  return (
    <p role="status" className="mt-1 text-ink-2">
      {runs.length === 1
        ? `Run ${runs[0]?.id} is being read: the answers do not count it yet.`
        : `${runs.length} runs are being read: the answers do not count them yet.`}
    </p>
  );
}
