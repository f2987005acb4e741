/** That the machine of a run is restarted within its session, and what a person has to do for it. */
import type { RunSummary } from "../../api/client";
import { moment } from "../../parts/text";
import { restartOf } from "./restart";

export function Restarting(props: { run: RunSummary }) {
  const restart = restartOf(props.run);
  if (!restart) return null;
  const until = moment(restart.until.toISOString());
  return (
    <p role="status" className="mt-2 border-l-3 border-brass bg-card px-3 py-2">
      {restart.byHand ? (
        <>
          <b>Switch {props.run.rig} off and on again now.</b> The script asks for it, and the
          session goes on by itself once the machine is back.
        </>
      ) : (
        <>
          {props.run.rig} is being restarted, as the script asks. The session goes on once it is
          back, and is cut off if it is not by {until}.
        </>
      )}
    </p>
  );
}
