/** Put something away or delete it, each undone with one act; a refusal says what works with it. */
import { type Shelved, useMove } from "../api/asking";
import { Acts } from "../parts/Acts";
import { useOfferUndo } from "../parts/Undo";

export function MoveActs(props: {
  kind: Shelved["kind"];
  id: number;
  name: string;
  /** What is lost along with it once it is lost for good. */
  withIt?: string;
  moved?: () => void;
}) {
  const { kind, id, name } = props;
  const move = useMove();
  const offer = useOfferUndo();
  const to = async (state: "archived" | "deleted") => {
    try {
      await move.mutateAsync({ kind, id, state });
    } catch {
      return; // why stands beside the acts
    }
    props.moved?.();
    offer({
      text: `“${name}” was ${state === "archived" ? "put away" : "deleted"}.`,
      undo: () => move.mutate({ kind, id, state: "active" }),
    });
  };
  return (
    <Acts>
      <span className="whitespace-nowrap">
        <button
          type="button"
          className="act mr-3"
          aria-label={`put away ${name}`}
          onClick={() => to("archived")}
        >
          put away
        </button>
        <button
          type="button"
          className="act"
          aria-label={`delete${props.withIt ? ` with ${props.withIt}:` : ""} ${name}`}
          onClick={() => to("deleted")}
        >
          delete{props.withIt && ` with ${props.withIt}`}
        </button>
      </span>
      {move.error && (
        <span role="alert" className="block text-[12px] text-behind">
          {move.error.message}
        </span>
      )}
    </Acts>
  );
}
