/** How far a rig is with starting a program, where it does not start it yet. */
import type { Schemas } from "../api/client";
import { useIsOwner } from "../api/people";

export function StartOnRig(props: {
  onRig: Schemas["StartState"];
  program: string;
  asking: boolean;
  ask: () => void;
}) {
  const { state, detail, line } = props.onRig;
  const owner = useIsOwner();
  if (state === "allowed" || state === "no rig" || state === "elsewhere") return null;
  if (state === "asked") return <p className="text-ink-2">the rig is being asked to start it …</p>;
  if (state === "no start")
    return (
      <p className="text-behind">
        The rig knows no program {props.program}: say it in the rig's own file.
      </p>
    );
  return (
    <div className="text-behind">
      {state === "refused" && `The rig does not start it: ${detail}. `}
      {state === "differs" && "The rig starts something else under this name. "}
      {state === "not allowed" && "The rig may not start it yet. "}
      {owner && (
        <button
          type="button"
          className="act mr-2"
          disabled={props.asking}
          onClick={() => props.ask()}
        >
          ask the rig {state === "refused" && "again"}
        </button>
      )}
      <span className="text-ink-2">
        {owner ? "or run there:" : "An owner can let it, or run on the rig:"}
      </span>
      <code className="block overflow-x-auto font-mono whitespace-nowrap text-ink select-all">
        {line}
      </code>
    </div>
  );
}
