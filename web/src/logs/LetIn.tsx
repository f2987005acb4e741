/** Lets runs that were brought in be compared, all of them for one reason. */
import { useState } from "react";
import { useLetIn } from "../api/logs";
import { Acts } from "../parts/Acts";

export function LetIn(props: { study: number; runs: number[] }) {
  const { runs } = props;
  const letIn = useLetIn(props.study);
  const [reason, setReason] = useState("");
  const one = runs.length === 1;
  return (
    <>
      <Acts>
        <form
          className="flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (reason.trim()) letIn.mutate({ runs, reason: reason.trim() });
          }}
        >
          <input
            aria-label={`why ${one ? "it" : "they"} may be compared`}
            className="field w-[280px]"
            placeholder={`why ${one ? "it" : "they"} may be compared`}
            maxLength={280}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
          <button
            type="submit"
            className="button-quiet py-0.5"
            disabled={!reason.trim() || letIn.isPending}
          >
            Let {one ? "it" : `all ${runs.length}`} in
          </button>
        </form>
      </Acts>
      {letIn.error && (
        <p role="alert" className="text-behind">
          {letIn.error.message}
        </p>
      )}
    </>
  );
}
