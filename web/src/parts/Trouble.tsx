/** What is shown in place of something that could not be had. */
import { Failure } from "../api/client";

export function Trouble(props: { error: unknown; what: string; again?: () => void }) {
  const failure = props.error instanceof Failure ? props.error : null;
  return (
    <div role="alert" className="m-6 max-w-xl border-l-4 border-behind bg-card p-4">
      <p className="text-[15px] font-semibold">{props.what} cannot be shown.</p>
      <p className="mt-1 text-ink-2">
        {failure?.message ?? "Something in this page failed. Nothing stored was changed."}
      </p>
      {props.again && (
        <button type="button" className="button-quiet mt-3" onClick={props.again}>
          Try again
        </button>
      )}
    </div>
  );
}

/** A quiet line while something is on its way. */
export function Waiting(props: { what: string }) {
  return (
    <p role="status" className="p-6 text-ink-2">
      fetching {props.what} …
    </p>
  );
}
